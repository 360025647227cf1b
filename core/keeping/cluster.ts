/** What keeps a cluster alive: its certificates renewed, its control-plane data kept and proven to be restorable. */
import { answering, guardedCluster, noCluster } from '../changes'
import { command } from '../contract'
import { z } from 'zod'
import {
  type ChangeKind,
  longestPath,
  type Plan,
  type Proof,
  type RawFinding,
  ref,
  type Step,
} from '../changes'
import { clusterOf, type ClusterView, type FleetView } from '../fleet'
import { estimates, step } from '../provisioning'
import { askRetry } from '../provisioning/steps'
import { spendUnchanged } from '../spend'
import { bytesText, countText } from '../units'
import { said } from './says'

const name = z.string().max(253)

function planOf(cluster: ClusterView, view: FleetView, steps: readonly Step[]): Plan {
  return {
    steps,
    creates: [],
    alters: [ref('cluster', cluster.name)],
    removes: [],
    ...longestPath(steps),
    spend: spendUnchanged(view, cluster.name),
    reserves: [],
  }
}

const existing = (request: string, view: FleetView): ClusterView => {
  const cluster = clusterOf(view, request)
  if (!cluster) throw new Error('a plan is made only for a cluster that is known')
  return cluster
}

const shared = <Intent extends { readonly cluster: string }>() => ({
  needs: (intent: Intent) => [`cluster:${intent.cluster}` as const],
  subjects: (intent: Intent) => [ref('cluster', intent.cluster)],
  guardedBy: (intent: Intent, view: FleetView) => guardedCluster(intent.cluster, view),
})

const renewIntent = z.strictObject({ cluster: name })

export const renewCertificates: ChangeKind<z.infer<typeof renewIntent>> = {
  ...shared<z.infer<typeof renewIntent>>(),
  // Beside what else is under way in the cluster: a halted run may be waiting for just this.
  subjects: (intent) => [ref('certificate', intent.cluster, 'api')],
  name: 'cluster.renew-certificates',
  title: 'Renew a cluster’s certificates',
  intent: renewIntent,
  label: (intent) => `renew the certificates of ${intent.cluster || 'a cluster'}`,
  check: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    if (!cluster) return [noCluster(intent.cluster, view)]
    if (
      cluster.controlPlane.kind === 'managed' &&
      cluster.certificatesUntil !== null &&
      cluster.certificatesUntil > view.now
    )
      return [
        {
          level: 'note',
          rule: 'certificates.managed',
          field: 'cluster',
          ...said('certificates.managed', { site: cluster.site, cluster: cluster.name }),
          because: [],
        },
      ]
    const single = cluster.controlPlane.kind === 'own' && cluster.controlPlane.members.length === 1
    return single
      ? [
          {
            level: 'caution',
            rule: 'certificates.single',
            field: 'cluster',
            ...said('certificates.single', { cluster: cluster.name }),
            because: [{ ...said('single-member'), source: cluster.name, at: cluster.observedAt }],
          },
        ]
      : []
  },
  plan: (intent, view) =>
    planOf(existing(intent.cluster, view), view, [
      step({
        id: 'renew',
        after: [],
        group: intent.cluster,
        says: 'sign new certificates, restart the control plane one by one',
        command: command('certificates.renew', { cluster: intent.cluster }),
        final: true,
        seconds: estimates.renewCertificates,
        retry: askRetry,
      }),
    ]),
  after: (intent, view) => ({
    ...view,
    clusters: view.clusters.map((cluster) =>
      cluster.name === intent.cluster
        ? {
            ...cluster,
            apiAnswers: true,
            certificatesUntil: `${Number(view.now.slice(0, 4)) + 1}${view.now.slice(4)}`,
          }
        : cluster,
    ),
  }),
  prove: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const days = cluster?.certificatesUntil
      ? (Date.parse(cluster.certificatesUntil) - Date.parse(view.now)) / 86_400_000
      : 0
    return [
      {
        says: 'They are valid for over 300 days',
        holds: days > 300,
        observed: cluster?.certificatesUntil
          ? `until ${cluster.certificatesUntil.slice(0, 10)}, ${countText(Math.floor(days), 'day')}`
          : 'nobody told',
      },
      {
        says: 'Its API answers',
        holds: cluster?.apiAnswers === true,
        observed: cluster?.apiAnswers ? `${cluster.endpoint} answered` : 'no answer',
      },
    ]
  },
}

const backupIntent = z.strictObject({
  cluster: name,
  backup: z
    .string()
    .max(80)
    .regex(/^[a-z0-9]([-a-z0-9]*[a-z0-9])?$/, 'use a–z, 0–9 and inner dashes'),
})

export const clusterBackup: ChangeKind<z.infer<typeof backupIntent>> = {
  ...shared<z.infer<typeof backupIntent>>(),
  subjects: (intent) => [ref('backup', intent.cluster, intent.backup)],
  name: 'cluster.backup',
  title: 'Back up control-plane data',
  intent: backupIntent,
  label: (intent) => `back up ${intent.cluster || 'a cluster'} as ${intent.backup}`,
  check: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    if (!cluster) return [noCluster(intent.cluster, view)]
    const findings: RawFinding[] = [...answering(cluster, view)]
    if (cluster.controlPlane.kind === 'managed')
      findings.push({
        level: 'note',
        rule: 'backup.managed',
        field: 'cluster',
        ...said('backup.managed', { site: cluster.site, cluster: cluster.name }),
        because: [],
      })
    if (cluster.backups.some((backup) => backup.id === intent.backup))
      findings.push({
        level: 'stop',
        rule: 'backup.name',
        field: 'backup',
        ...said('backup.name', { cluster: cluster.name, backup: intent.backup }),
        because: [
          {
            ...said('backups', { backups: cluster.backups.map((backup) => backup.id) }),
            source: cluster.name,
          },
        ],
        offers: [
          {
            says: `Call it ${intent.backup}-2`,
            change: {
              patchDraft: [{ op: 'replace', path: '/backup', value: `${intent.backup}-2` }],
            },
          },
        ],
      })
    return findings
  },
  plan: (intent, view) =>
    planOf(existing(intent.cluster, view), view, [
      step({
        id: 'take',
        after: [],
        group: intent.cluster,
        says: 'copy the state store',
        command: command('backup.take', { cluster: intent.cluster, backup: intent.backup }),
        final: true,
        seconds: estimates.takeBackup,
        retry: askRetry,
      }),
      step({
        id: 'try',
        after: ['take'],
        group: intent.cluster,
        says: 'restore it beside, ask it what it holds',
        command: command('backup.try', { cluster: intent.cluster, backup: intent.backup }),
        final: true,
        seconds: estimates.tryBackup,
        retry: askRetry,
      }),
    ]),
  prove: (intent, view, results): readonly Proof[] => {
    const cluster = clusterOf(view, intent.cluster)
    const backup = cluster?.backups.find((backup) => backup.id === intent.backup)
    const nodes = cluster?.pools.reduce((sum, pool) => sum + pool.nodes.length, 0) ?? 0
    const restored = Number(results['try']?.['nodes'] ?? -1)
    return [
      {
        says: 'The copy is there',
        holds: backup !== undefined,
        observed: backup
          ? `${countText(backup.objects, 'object')}, ${bytesText(backup.bytes)}`
          : 'not listed',
      },
      {
        says: 'Restored beside, it holds what the cluster holds',
        holds: restored === nodes,
        observed:
          restored < 0
            ? 'not tried'
            : `${restored} of ${nodes} nodes, ${countText(Number(results['try']?.['workloads'] ?? 0), 'workload')}`,
      },
    ]
  },
}

const restoreIntent = z.strictObject({ cluster: name, backup: z.string().max(80) })

export const clusterRestore: ChangeKind<z.infer<typeof restoreIntent>> = {
  ...shared<z.infer<typeof restoreIntent>>(),
  name: 'cluster.restore',
  title: 'Restore control-plane data',
  intent: restoreIntent,
  label: (intent) => `restore ${intent.cluster || 'a cluster'} from ${intent.backup}`,
  check: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    if (!cluster) return [noCluster(intent.cluster, view)]
    const backup = cluster.backups.find((backup) => backup.id === intent.backup)
    const newest = cluster.backups[cluster.backups.length - 1]
    if (!backup)
      return [
        {
          level: 'stop',
          rule: 'backup.known',
          field: 'backup',
          ...said('backup.known', { cluster: cluster.name, backup: intent.backup }),
          because: [
            {
              ...said('backups-all', {
                backups: cluster.backups.map((otherBackup) => otherBackup.id),
              }),
              source: cluster.name,
            },
          ],
          offers: newest
            ? [
                {
                  says: `Use ${newest.id}`,
                  change: { patchDraft: [{ op: 'replace', path: '/backup', value: newest.id }] },
                },
              ]
            : [],
        },
      ]
    const minutes = Math.round((Date.parse(view.now) - Date.parse(backup.at)) / 60_000)
    return [
      {
        level: 'caution',
        rule: 'backup.loses',
        field: 'backup',
        ...said('backup.loses', { cluster: cluster.name, minutes, backup: backup.id }),
        because: [
          {
            ...said('backup-taken', { at: backup.at.slice(0, 16), objects: backup.objects }),
            source: cluster.name,
          },
        ],
      },
    ]
  },
  plan: (intent, view) =>
    planOf(existing(intent.cluster, view), view, [
      step({
        id: 'try',
        after: [],
        group: intent.cluster,
        says: 'restore it beside first, ask it what it holds',
        command: command('backup.try', { cluster: intent.cluster, backup: intent.backup }),
        final: true,
        seconds: estimates.tryBackup,
        retry: askRetry,
      }),
      step({
        id: 'restore',
        after: ['try'],
        group: intent.cluster,
        says: 'hold the API, put the data back, let it answer',
        command: command('backup.restore', { cluster: intent.cluster, backup: intent.backup }),
        final: true,
        seconds: estimates.restoreBackup,
        retry: askRetry,
      }),
    ]),
  prove: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    return [
      {
        says: 'Its API answers',
        holds: cluster?.apiAnswers === true,
        observed: cluster?.apiAnswers ? `${cluster.endpoint} answered` : 'no answer',
      },
    ]
  },
}
