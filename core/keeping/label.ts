/** The labels by which a cluster is found and covered, and whether it is guarded: `cluster.label`. */
import { z } from 'zod'
import {
  canonicalJson,
  caution,
  type ChangeKind,
  type Fact,
  guardedCluster,
  longestPath,
  noCluster,
  note,
  type RawFinding,
  ref,
  stop,
} from '../changes'
import { command } from '../contract'
import { clusterOf, type ClusterView, type FleetView, labelTexts } from '../fleet'
import { step } from '../provisioning/steps'
import { labelFindings } from '../reach'
import { spendUnchanged } from '../spend'
import { listText } from '../units'
import { isCovered, windowsOf } from '../windows'
import { said } from './says'

const labelIntent = z.strictObject({
  cluster: z.string().max(253),
  /** All of them: what is left out is taken off. */
  labels: z.record(z.string().max(400), z.string().max(400)).default({}),
  /** Left out, it stays as it is. */
  guarded: z.boolean().optional(),
})
export type LabelIntent = z.infer<typeof labelIntent>

const isSame = (left: unknown, right: unknown): boolean =>
  canonicalJson(left) === canonicalJson(right)

/** The cluster as it would be. */
const labelled = (cluster: ClusterView, { labels, guarded }: LabelIntent): ClusterView => ({
  ...cluster,
  labels,
  guarded: guarded ?? cluster.guarded,
})

const textOf = (labels: Readonly<Record<string, string>>): string =>
  listText(labelTexts(labels), 6) || 'no labels'

const fromRegister = (cluster: ClusterView): Fact => ({
  ...said('label.now', { labels: textOf(cluster.labels) }),
  source: 'register of clusters',
})

/** Maintenance windows that it comes into or falls out of by its labels. */
function windowFindings(
  before: ClusterView,
  after: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  const windows = windowsOf(view)
  const covering = (cluster: ClusterView): readonly string[] =>
    windows.filter((window) => isCovered(window, cluster)).map(({ name }) => name)
  const [had, has] = [covering(before), covering(after)]
  const gained = has.filter((name) => !had.includes(name))
  const lost = had.filter((name) => !has.includes(name))
  const because = [fromRegister(before)]
  if (lost.length > 0 && has.length === 0)
    return [
      caution(
        'label.windowless',
        'labels',
        said('label.windowless', { cluster: before.name, lost }),
        because,
      ),
    ]
  return gained.length + lost.length === 0
    ? []
    : [note('label.windows', 'labels', said('label.windows', { gained, lost }), because)]
}

function check(intent: LabelIntent, view: FleetView): readonly RawFinding[] {
  const cluster = clusterOf(view, intent.cluster)
  if (!cluster) return [noCluster(intent.cluster, view)]
  const wrong = labelFindings(intent.labels)
  if (wrong.length > 0) return wrong
  const after = labelled(cluster, intent)
  if (isSame(after.labels, cluster.labels) && after.guarded === cluster.guarded)
    return [
      stop('label.same', 'labels', said('label.same', { cluster: cluster.name }), [
        fromRegister(cluster),
      ]),
    ]
  return [
    ...windowFindings(cluster, after, view),
    ...(cluster.guarded && !after.guarded
      ? [caution('label.guard', 'guarded', said('label.guard', { cluster: cluster.name }))]
      : []),
  ]
}

export const clusterLabel: ChangeKind<LabelIntent> = {
  name: 'cluster.label',
  title: 'Label a cluster, or guard it',
  intent: labelIntent,
  needs: (intent) => [`cluster:${intent.cluster}`],
  subjects: (intent) => [ref('labels', intent.cluster)],
  guardedBy: (intent, view) => guardedCluster(intent.cluster, view),
  label: ({ cluster, labels }) => `label ${cluster || 'a cluster'}: ${textOf(labels)}`,
  check,
  plan: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const set = (labels: Readonly<Record<string, string>>, guarded: boolean) =>
      command('labels.set', { cluster: intent.cluster, labels, guarded })
    const wasGuarded = cluster?.guarded ?? false
    const steps = [
      step({
        id: 'set',
        after: [],
        group: 'register',
        says: textOf(intent.labels),
        command: set(intent.labels, intent.guarded ?? wasGuarded),
        undo: set(cluster?.labels ?? {}, wasGuarded),
        seconds: { likely: 1, worst: 3 },
      }),
    ]
    return {
      steps,
      creates: [],
      alters: [ref('cluster', intent.cluster)],
      removes: [],
      ...longestPath(steps),
      spend: spendUnchanged(view, intent.cluster),
      reserves: [],
    }
  },
  prove: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    const has = cluster?.labels ?? {}
    return [
      {
        says: 'the register has them',
        holds: cluster !== undefined && isSame(has, intent.labels),
        observed: textOf(has),
      },
      ...(intent.guarded === undefined
        ? []
        : [
            {
              says: intent.guarded ? 'it is guarded' : 'it is not guarded',
              holds: cluster?.guarded === intent.guarded,
              observed: cluster?.guarded === true ? 'guarded' : 'not guarded',
            },
          ]),
    ]
  },
  after: (intent, view) => ({
    ...view,
    clusters: view.clusters.map((cluster) =>
      cluster.name === intent.cluster ? labelled(cluster, intent) : cluster,
    ),
  }),
}
