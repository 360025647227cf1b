/** A cluster as a whole: its control plane, API, certificates, state store, rest, add-ons and probes. */
import { z } from 'zod'
import { ref } from '../refs'
import { tier } from '../shapes'
import { atSite, atCluster, clusterSlice } from '../places'
import { verb } from '../verb'

const ofCluster = z.object({ cluster: z.string() })

export const controlPlaneCreate = verb({
  name: 'controlplane.create',
  port: 'site',
  args: z.object({ site: z.string(), cluster: z.string(), tier, release: z.string() }),
  result: z.object({ endpoint: z.string() }),
  failures: ['no-tier', 'no-address'],
  at: atSite,
  touches: ({ site }) => [`site:${site}`],
  makes: ({ site, cluster }) => [ref('control-plane', site, cluster)],
})

export const controlPlaneDelete = verb({
  name: 'controlplane.delete',
  port: 'site',
  args: z.object({ site: z.string(), cluster: z.string() }),
  result: z.object({}),
  failures: [],
  at: atSite,
  touches: ({ site }) => [`site:${site}`],
  removes: ({ site, cluster }) => [ref('control-plane', site, cluster)],
})

export const apiStart = verb({
  name: 'api.start',
  port: 'cluster',
  args: ofCluster.extend({
    site: z.string(),
    release: z.string(),
    /** The first machine of an own control plane; null for a managed one. */
    machine: z.string().nullable().default(null),
    managed: z.boolean(),
    endpoint: z.string(),
    /** Ranges in CIDR notation. */
    pods: z.string(),
    services: z.string(),
    apiAddress: z.string(),
    dnsAddress: z.string(),
    maxPodsPerNode: z.number().default(110),
  }),
  result: z.object({ endpoint: z.string() }),
  failures: ['control-plane-gone', 'agent-down'],
  at: atCluster,
  touches: clusterSlice,
  makes: ({ cluster }) => [ref('cluster', cluster)],
})

export const apiStop = verb({
  name: 'api.stop',
  port: 'cluster',
  args: ofCluster,
  result: z.object({}),
  failures: [],
  at: atCluster,
  touches: clusterSlice,
})

export const clusterClose = verb({
  name: 'cluster.close',
  port: 'cluster',
  args: ofCluster,
  result: z.looseObject({}),
  failures: [],
  at: atCluster,
  touches: clusterSlice,
  removes: ({ cluster }) => [ref('cluster', cluster)],
})

export const clusterRest = verb({
  name: 'cluster.rest',
  port: 'cluster',
  args: ofCluster,
  result: z.looseObject({}),
  failures: [],
  at: atCluster,
  touches: clusterSlice,
})

export const clusterWake = verb({
  name: 'cluster.wake',
  port: 'cluster',
  args: ofCluster.extend({
    /** The machines that come back, each as it is to be; left out, all of them as they were. */
    machines: z
      .array(z.object({ name: z.string(), zone: z.string(), size: z.string() }))
      .optional(),
  }),
  result: z.looseObject({ nodes: z.number() }),
  failures: ['no-stock', 'quota', 'no-room', 'size-unknown'],
  at: atCluster,
  touches: clusterSlice,
})

export const memberLeave = verb({
  name: 'member.leave',
  port: 'cluster',
  args: ofCluster.extend({ machine: z.string() }),
  result: z.object({}),
  failures: ['last-member'],
  at: atCluster,
  touches: clusterSlice,
})

export const certificatesRenew = verb({
  name: 'certificates.renew',
  port: 'cluster',
  args: ofCluster,
  /** `until` in milliseconds. */
  result: z.object({ until: z.number() }),
  failures: [],
  at: atCluster,
  touches: clusterSlice,
})

const ofBackup = ofCluster.extend({ backup: z.string() })

export const backupTake = verb({
  name: 'backup.take',
  port: 'cluster',
  args: ofBackup,
  result: z.object({ objects: z.number(), bytes: z.number() }),
  failures: [],
  at: atCluster,
  touches: clusterSlice,
  makes: ({ cluster, backup }) => [ref('backup', cluster, backup)],
})

/** Restores into a state store set up beside, and compares what it then holds. */
export const backupTry = verb({
  name: 'backup.try',
  port: 'cluster',
  args: ofBackup,
  result: z.object({ nodes: z.number(), workloads: z.number(), services: z.number() }),
  failures: ['backup-gone'],
  at: atCluster,
  touches: () => [],
})

export const backupRestore = verb({
  name: 'backup.restore',
  port: 'cluster',
  args: ofBackup,
  result: z.looseObject({}),
  failures: ['backup-gone'],
  at: atCluster,
  touches: clusterSlice,
})

export const classDefault = verb({
  name: 'class.default',
  port: 'cluster',
  args: ofCluster.extend({ name: z.string(), zones: z.array(z.string()).optional() }),
  result: z.object({}),
  failures: ['storage-unknown'],
  at: atCluster,
  touches: clusterSlice,
  makes: ({ cluster, name }) => [ref('storageclass', cluster, name)],
})

export const addOnsPlace = verb({
  name: 'addons.place',
  port: 'cluster',
  args: ofCluster,
  result: z.object({}),
  failures: ['pods-pending'],
  at: atCluster,
  touches: clusterSlice,
})

export const tokensRevoke = verb({
  name: 'tokens.revoke',
  port: 'cluster',
  args: ofCluster,
  result: z.object({}),
  failures: [],
  at: atCluster,
  touches: clusterSlice,
})

export const dnsAsk = verb({
  name: 'dns.ask',
  port: 'cluster',
  args: ofCluster,
  result: z.object({ answers: z.boolean(), says: z.string() }),
  failures: ['dns-silent'],
  at: atCluster,
  touches: () => [],
})

/** A pod is tried on a pool and taken away again. */
export const podTry = verb({
  name: 'pod.try',
  port: 'cluster',
  args: ofCluster.extend({ pool: z.string() }),
  result: z.object({ ran: z.boolean(), says: z.string() }),
  failures: ['pods-pending', 'pod-gone'],
  at: atCluster,
  touches: clusterSlice,
})

/** The control plane goes to another release, one member after the other. */
export const controlPlaneMove = verb({
  name: 'controlplane.move',
  port: 'cluster',
  args: ofCluster.extend({ to: z.string() }),
  result: z.object({}),
  failures: ['minor-skipped', 'member-not-back'],
  at: atCluster,
  touches: clusterSlice,
})

/** The agent of a node goes to another release where it is, never above the control plane. */
export const agentMove = verb({
  name: 'agent.move',
  port: 'cluster',
  args: ofCluster.extend({ node: z.string(), to: z.string() }),
  result: z.object({}),
  failures: ['node-gone', 'agent-newer'],
  at: atCluster,
  touches: clusterSlice,
})

export const addOnMove = verb({
  name: 'addon.move',
  port: 'cluster',
  args: ofCluster.extend({ addOn: z.string(), to: z.string() }),
  result: z.object({}),
  failures: ['no-add-on', 'add-on-crash'],
  at: atCluster,
  touches: clusterSlice,
})
