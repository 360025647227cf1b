/** The description from which an outside world is built. Read from files; sizes in GiB of memory and GB of disk. */
import { z } from 'zod'
import { outside, releases } from './scenario-supply'
import { faultKinds } from './world'

const taint = z.object({
  key: z.string(),
  value: z.string(),
  effect: z.enum(['NoSchedule', 'PreferNoSchedule', 'NoExecute']),
})

const site = z.object({
  name: z.string(),
  title: z.string(),
  kind: z.enum(['hall', 'cloud', 'edge']),
  connected: z.boolean().default(true),
  domain: z.string(),
  zones: z.array(z.string()),
  arch: z.string().default('x86-64'),
  overcommit: z.number().default(1),
  reservePerZone: z.number().default(0),
  quotaCores: z.number().nullable().default(null),
  quotaBalancers: z.number().nullable().default(null),
  quotaAddresses: z.number().nullable().default(null),
  nameDomain: z.string().default('fernhollow.example'),
  /** The name of the registry that stands here, where it is none of the name domain’s. */
  registryHost: z.string().optional(),
  nameServers: z.array(z.string()).default([]),
  timeServers: z.array(z.string()).default([]),
  routes: z.array(z.object({ network: z.string(), to: z.string(), via: z.string() })).default([]),
  firewall: z
    .array(
      z.object({
        name: z.string(),
        priority: z.number(),
        direction: z.enum(['in', 'out']),
        action: z.enum(['allow', 'deny']),
        from: z.array(z.string()).optional(),
        to: z.array(z.string()).optional(),
        protocol: z.enum(['tcp', 'udp', 'sctp', 'any']).default('any'),
        ports: z.array(z.string()).optional(),
        members: z.array(z.string()).optional(),
        enabled: z.boolean().optional(),
      }),
    )
    .default([]),
  translations: z
    .array(
      z.object({
        name: z.string(),
        priority: z.number(),
        kind: z.enum(['keep', 'translate']),
        from: z.array(z.string()).optional(),
        to: z.array(z.string()).optional(),
        becomes: z.string().optional(),
      }),
    )
    .default([]),
  egress: z.string().optional(),
  mtu: z.number().optional(),
  records: z
    .array(
      z.object({
        name: z.string(),
        type: z.string(),
        ttl: z.number().default(3600),
        value: z.string(),
      }),
    )
    .default([]),
  storageClasses: z
    .array(z.object({ name: z.string(), zones: z.array(z.string()).optional() }))
    .default([]),
  bootData: z
    .object({ limitBytes: z.number().nullable(), base64: z.boolean().default(false) })
    .default({ limitBytes: null, base64: false }),
  managedTiers: z
    .array(
      z.object({
        tier: z.enum(['plain', 'assured']),
        hourly: z.number(),
        availability: z.number().nullable().default(null),
      }),
    )
    .default([]),
  managedFrom: z.string().nullable().default(null),
  hosts: z
    .object({
      perZone: z.number(),
      cores: z.number(),
      memoryGiB: z.number(),
      diskGb: z.number(),
      idleWatts: z.number(),
      fullWatts: z.number(),
      prefix: z.string(),
    })
    .optional(),
  sizes: z
    .array(
      z.object({
        name: z.string(),
        cores: z.number(),
        memoryGiB: z.number(),
        diskGb: z.number().default(0),
        hourly: z.number().nullable().default(null),
        gpus: z.number().default(0),
        zones: z.array(z.string()).optional(),
      }),
    )
    .default([]),
  images: z.array(z.string()),
  networks: z.array(
    z.object({
      name: z.string(),
      range: z.string(),
      role: z.enum(['management', 'nodes', 'frontage', 'storage', 'private']),
      zone: z.string().optional(),
      vlan: z.number().optional(),
      gateway: z.string().optional(),
      dhcp: z.string().optional(),
      pool: z.string().optional(),
      mtu: z.number().optional(),
    }),
  ),
  boxes: z
    .array(
      z.object({
        name: z.string(),
        zone: z.string(),
        arch: z.string(),
        cores: z.number(),
        memoryGiB: z.number(),
        idleWatts: z.number(),
        fullWatts: z.number(),
        disks: z.array(
          z.object({
            identifier: z.string(),
            shownAs: z.string(),
            sizeGb: z.number(),
            removable: z.boolean(),
            holds: z.string().nullable(),
          }),
        ),
        prepared: z.boolean().default(false),
        inside: z
          .object({
            cards: z.array(
              z.object({ name: z.string(), mac: z.string(), addresses: z.array(z.string()) }),
            ),
            clockOffSeconds: z.number().default(0),
            runtime: z.boolean().default(true),
          })
          .optional(),
        cards: z.array(
          z.object({
            name: z.string(),
            mac: z.string(),
            address: z.string().nullable(),
            network: z.string().nullable(),
            sharedWith: z.number(),
          }),
        ),
      }),
    )
    .default([]),
})

const cluster = z.object({
  name: z.string(),
  site: z.string(),
  guarded: z.boolean().default(false),
  release: z.string(),
  addOns: z.record(z.string(), z.string()).default({}),
  drives: z.array(z.string()).default([]),
  /** Who asks its API for versions of objects, and how often; `cluster` is where the asking workload runs, if elsewhere. */
  apiClients: z
    .array(
      z.object({
        agent: z.string(),
        cluster: z.string().optional(),
        from: z.string(),
        apiVersion: z.string(),
        kind: z.string(),
        everySeconds: z.number().positive(),
      }),
    )
    .default([]),
  madeAt: z.string(),
  controlPlane: z.discriminatedUnion('kind', [
    z.object({
      kind: z.literal('own'),
      count: z.number(),
      size: z.string(),
      addresses: z.array(z.string()),
    }),
    z.object({ kind: z.literal('managed'), tier: z.enum(['plain', 'assured']) }),
  ]),
  pools: z.array(
    z.object({
      name: z.string(),
      size: z.string(),
      count: z.number(),
      range: z.object({ min: z.number(), max: z.number() }).optional(),
      lifetime: z.enum(['on-demand', 'spot']).default('on-demand'),
      taints: z.array(taint).default([]),
    }),
  ),
  pods: z.string(),
  services: z.string(),
  /** Replicated storage on disks of its nodes; nodes are named without the cluster, zones by their number at the site. */
  storage: z
    .object({
      addOn: z.string(),
      plannedPercent: z.number(),
      floorPercent: z.number(),
      atOnce: z.number(),
      attachLimit: z.number(),
      /** The first is the one in use. */
      networks: z.array(
        z.object({
          role: z.enum(['nodes', 'storage']),
          megabytesPerSecond: z.number(),
          /** Number of the first node’s address in the range. */
          firstHost: z.number().default(1),
          /** Nodes whose link takes packets of 1,500 bytes only. */
          small: z.array(z.string()).optional(),
        }),
      ),
      classes: z.array(
        z.object({
          name: z.string(),
          copies: z.number(),
          zones: z.enum(['required', 'preferred', 'any']),
        }),
      ),
      disks: z.array(
        z.object({
          pool: z.string(),
          zones: z.array(z.number()).optional(),
          name: z.string(),
          sizeGb: z.number(),
          otherGb: z.number().default(0),
        }),
      ),
      volumes: z.array(
        z.object({
          name: z.string(),
          claim: z.string(),
          class: z.string(),
          sizeGb: z.number(),
          usedGb: z.number(),
          perDayGb: z.number().default(0),
          on: z.array(z.object({ node: z.string(), disk: z.string() })),
        }),
      ),
    })
    .optional(),
  rest: z
    .object({
      zone: z.string(),
      windows: z.array(
        z.object({
          days: z.array(z.enum(['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'])),
          stop: z.string(),
          start: z.string(),
        }),
      ),
    })
    .optional(),
  strained: z
    .array(z.object({ node: z.string(), type: z.string(), message: z.string() }))
    .default([]),
})

const workload = z.object({
  cluster: z.string(),
  namespace: z.string(),
  name: z.string(),
  kind: z.enum(['Deployment', 'StatefulSet', 'DaemonSet', 'CronJob']).default('Deployment'),
  replicas: z.number().default(0),
  cpu: z.string(),
  memory: z.string(),
  gpus: z.number().default(0),
  port: z.number().nullable().default(null),
  pool: z.string().nullable().default(null),
  image: z.string().optional(),
  on: z.array(z.number()).optional(),
  tolerates: z.array(z.object({ key: z.string(), value: z.string() })).default([]),
  volumes: z
    .array(
      z.object({
        name: z.string(),
        claim: z.string().optional(),
        class: z.string(),
        sizeGb: z.number(),
      }),
    )
    .optional(),
})

export const scenarioSchema = z.object({
  start: z.string(),
  prices: z.object({
    diskGbMonth: z.number(),
    kwh: z.number(),
    hostMonth: z.number(),
    spotShare: z.number(),
    balancerHour: z.number(),
  }),
  image: z.object({ name: z.string(), minimumDiskGb: z.number() }),
  sites: z.array(site),
  clusters: z.array(cluster),
  workloads: z.array(workload),
  releases: releases.optional(),
  outside: outside.optional(),
  objects: z
    .array(
      z.object({
        cluster: z.string(),
        manifests: z.array(
          z.looseObject({
            apiVersion: z.string(),
            kind: z.string(),
            metadata: z.looseObject({ name: z.string(), namespace: z.string().optional() }),
          }),
        ),
      }),
    )
    .default([]),
  peers: z
    .array(
      z.object({
        name: z.string(),
        address: z.string(),
        ports: z.array(z.number()),
        protocol: z.enum(['tcp', 'udp']).default('tcp'),
        accepts: z.array(z.string()).optional(),
        routes: z.array(z.string()).optional(),
      }),
    )
    .default([]),
  flows: z
    .array(
      z.object({
        cluster: z.string(),
        from: z.string(),
        to: z.string(),
        port: z.number(),
        perSecond: z.number(),
        method: z.string().optional(),
        path: z.string().optional(),
      }),
    )
    .default([]),
  loads: z
    .array(
      z.object({
        cluster: z.string(),
        workload: z.string(),
        points: z.array(z.tuple([z.number(), z.number()])),
      }),
    )
    .default([]),
  /** Tags that each workload’s repository holds. */
  tags: z.array(z.string()).default(['1', '2', '3']),
  /** Images that anybody may pull from where their names lead. */
  published: z.array(z.string()).default([]),
  copies: z.object({
    site: z.string(),
    cluster: z.string(),
    hostsPerZone: z.number(),
    counts: z.record(z.string(), z.number()),
  }),
  faults: z
    .array(
      z.object({
        fault: z.enum(faultKinds),
        about: z.string(),
        mode: z.enum(['transient', 'permanent']),
        times: z.number(),
      }),
    )
    .default([]),
})

export type Scenario = z.infer<typeof scenarioSchema>
export type ScenarioSite = Scenario['sites'][number]
export type ScenarioCluster = Scenario['clusters'][number]
