/**
 * The change kind `fleet.upgrade`: clusters taken to a release wave by wave, what drives others first, each within its
 * maintenance window. It is a set of `cluster.upgrade`: one that halts lets the rest of its wave end, and no other begins.
 */
import { z } from 'zod'
import {
  type ChangeKind,
  caution,
  type Finding,
  keyOf,
  note,
  type RawFinding,
  stop,
} from '../../changes'
import { clusterOf, type FleetView } from '../../fleet'
import { memberFinding, type ReadMember, type SetIntent, setRunOf } from '../../sets'
import { countText } from '../../units'
import { isCovered, windowsOf } from '../../windows'
import { driversAmong } from './drivers'
import { lanesOf } from './lanes'
import { said } from './says'
import { poolWay } from './ways'

export const fleetUpgradeName = 'fleet.upgrade'

const memberIntent = z.strictObject({
  cluster: z.string().max(253),
  /** All of a wave end before the next begins. */
  wave: z.int().min(1).max(100).default(1),
  /** The maintenance window that it begins in; null: as soon as its turn comes. */
  window: z.string().max(80).nullable().default(null),
  pools: z.array(poolWay).max(100).default([]),
})

export const fleetUpgradeIntent = z.strictObject({
  to: z.string().max(40),
  clusters: z.array(memberIntent).min(1, 'Name at least one cluster.').max(100),
  atOnce: z.int().min(1).max(20).default(1),
  /** So long the next wave waits after the last has ended. */
  soakSeconds: z.int().min(0).max(604_800).default(0),
  requires: z.enum(['nothing', 'well', 'walks']).default('well'),
  onFailure: z.enum(['halt', 'go-on']).default('halt'),
})
export type FleetUpgradeIntent = z.infer<typeof fleetUpgradeIntent>

/** The places of its clusters, in the order of their waves. */
const orderOf = ({ clusters }: FleetUpgradeIntent): readonly number[] =>
  clusters.map((_, index) => index).sort((a, b) => waveAt(clusters, a) - waveAt(clusters, b))

const waveAt = (clusters: FleetUpgradeIntent['clusters'], index: number): number =>
  clusters[index]?.wave ?? 1

/** The set that it runs as. */
export function fleetAsSet(intent: FleetUpgradeIntent): SetIntent {
  return {
    label: labelOf(intent),
    drafts: orderOf(intent).flatMap((index) =>
      intent.clusters.slice(index, index + 1).map(({ cluster, wave, window, pools }) => ({
        kind: 'cluster.upgrade',
        intent: { cluster, to: intent.to, pools },
        window,
        wave,
      })),
    ),
    atOnce: intent.atOnce,
    soakSeconds: intent.soakSeconds,
    requires: intent.requires,
    onFailure: intent.onFailure,
  }
}

const labelOf = ({ to, clusters }: FleetUpgradeIntent): string =>
  `take ${clusters.length === 1 ? (clusters[0]?.cluster ?? '') : countText(clusters.length, 'cluster')} to ${to || 'another release'}`

/** A field of the set’s intent as it is called in this one: `drafts[1].intent.pools[0].how` is `clusters[0].pools[0].how`. */
function fieldIn(order: readonly number[], field: string): string {
  const [, position, rest] = /^drafts\[(\d+)\](?:\.intent)?\.?(.*)$/.exec(field) ?? []
  if (position === undefined) return field
  const at = `clusters[${order[Number(position)] ?? 0}]`
  if (rest === 'to') return 'to'
  return rest === '' || rest === undefined ? at : `${at}.${rest}`
}

const pathIn = (order: readonly number[], path: string): string => {
  const [, position, rest] = /^\/drafts\/(\d+)\/intent(\/.*)$/.exec(path) ?? []
  if (position === undefined || rest === undefined) return path
  return rest === '/to' ? '/to' : `/clusters/${order[Number(position)] ?? 0}${rest}`
}

/** A member’s finding as the whole tells it: its cluster by name, its field where it is here. */
function renamed(intent: FleetUpgradeIntent, finding: RawFinding): RawFinding {
  const order = orderOf(intent)
  const { offers, says, code } = finding
  const field = finding.field === undefined ? undefined : fieldIn(order, finding.field)
  // A finding about the release itself has no field of its own cluster any more.
  const position = /^drafts\[(\d+)\]/.exec(finding.field ?? '')?.[1]
  const index = position === undefined ? undefined : order[Number(position)]
  const cluster = index === undefined ? '' : (intent.clusters[index]?.cluster ?? '')
  return {
    ...finding,
    ...(says.includes(cluster) ? {} : said('member.tells', { cluster, code, says })),
    ...(field === undefined ? {} : { field }),
    ...(offers
      ? {
          offers: offers.map(({ says, change }) => ({
            says,
            change:
              'patchDraft' in change
                ? {
                    patchDraft: change.patchDraft.map((operation) => ({
                      ...operation,
                      path: pathIn(order, operation.path),
                    })),
                  }
                : change,
          })),
        }
      : {}),
  }
}

/** The key under which a member’s finding was accepted. */
export const fleetMemberKey = (
  intent: FleetUpgradeIntent,
  position: number,
  finding: Finding,
): string => {
  const { rule, field, about } = memberFinding(position, finding)
  return keyOf({
    rule,
    ...(about === undefined ? {} : { about }),
    ...(field === undefined ? {} : { field: fieldIn(orderOf(intent), field) }),
  })
}

function twice(intent: FleetUpgradeIntent): readonly RawFinding[] {
  const { clusters } = intent
  return clusters.flatMap(({ cluster }, index) =>
    clusters.findIndex((each) => each.cluster === cluster) === index
      ? []
      : [
          stop(
            `cluster.twice.${index}`,
            `clusters[${index}].cluster`,
            said('cluster.twice', { cluster }),
            [],
            [
              {
                says: `Take ${cluster} once`,
                change: {
                  patchDraft: [
                    {
                      op: 'replace',
                      path: '/clusters',
                      value: clusters.filter((_, nth) => nth !== index),
                    },
                  ],
                },
              },
            ],
          ),
        ],
  )
}

/** Clusters that go no later than one that drives them. */
function tooEarly({ clusters }: FleetUpgradeIntent, view: FleetView): readonly RawFinding[] {
  const drivers = driversAmong(
    view.clusters.filter(({ name }) => clusters.some(({ cluster }) => cluster === name)),
  )
  return clusters.flatMap(({ cluster, wave }, index) => {
    const before = clusters.filter(
      (each) => each.wave >= wave && drivers.get(cluster)?.includes(each.cluster),
    )
    const last = Math.max(0, ...before.map((driver) => driver.wave))
    return before.slice(0, 1).map(({ cluster: driver }) =>
      stop(
        `waves.driver.${cluster}`,
        `clusters[${index}].wave`,
        said('waves.driver', { cluster, driver }),
        [{ ...said('cluster.drives', { cluster, driver }), source: driver }],
        [
          {
            says: `Put ${cluster} into wave ${last + 1}`,
            change: {
              patchDraft: [{ op: 'replace', path: `/clusters/${index}/wave`, value: last + 1 }],
            },
          },
        ],
      ),
    )
  })
}

const orderFindings = (intent: FleetUpgradeIntent, view: FleetView): readonly RawFinding[] => {
  const doubled = twice(intent)
  return doubled.length > 0 ? doubled : tooEarly(intent, view)
}

/** Where each is laid, and what cannot be. */
function laidFindings(intent: FleetUpgradeIntent, view: FleetView): readonly RawFinding[] {
  const lanes = lanesOf(view, intent.clusters, intent.to, intent.atOnce, intent.soakSeconds)
  return intent.clusters.flatMap(({ cluster: name, window }, index): readonly RawFinding[] => {
    const field = `clusters[${index}].window`
    const cluster = clusterOf(view, name)
    const lane = lanes.find((each) => each.cluster === name)
    if (!cluster || !lane?.seconds) return []
    if (window === null) {
      const own = windowsOf(view).filter((each) => isCovered(each, cluster))
      return own.length === 0
        ? []
        : [
            caution(
              `waves.window.${name}`,
              field,
              said('waves.any-time', { cluster: name }),
              [
                {
                  ...said('windows.are', { windows: own.map((each) => each.name) }),
                  source: 'register',
                },
              ],
              own.slice(0, 3).map((each) => ({
                says: `Wait for ${each.name}`,
                change: {
                  patchDraft: [
                    { op: 'add', path: `/clusters/${index}/window`, value: each.name } as const,
                  ],
                },
              })),
            ),
          ]
    }
    return lane.laid
      ? [
          note(
            `waves.laid.${name}`,
            field,
            said('waves.laid', {
              cluster: name,
              window,
              start: lane.laid.start,
              end: lane.laid.end,
            }),
          ),
        ]
      : [
          stop(
            `waves.unlaid.${name}`,
            field,
            said('waves.unlaid', { cluster: name, window, why: lane.why ?? '' }),
            [],
            [
              {
                says: `Let ${name} begin at any time`,
                change: {
                  patchDraft: [{ op: 'add', path: `/clusters/${index}/window`, value: null }],
                },
              },
            ],
          ),
        ]
  })
}

/** The kind, for the list of kinds whose drafts its set holds. */
export function fleetUpgradeOf(read: ReadMember): ChangeKind<FleetUpgradeIntent> {
  const set = setRunOf(read)
  const asked = (intent: FleetUpgradeIntent): SetIntent => fleetAsSet(intent)
  return {
    name: fleetUpgradeName,
    title: 'Take clusters to another release',
    intent: fleetUpgradeIntent,
    needs: (intent, ...rest) => set.needs(asked(intent), ...rest),
    subjects: (intent, view) => set.subjects(asked(intent), view),
    guardedBy: (intent, view) => set.guardedBy(asked(intent), view),
    guards: (intent, view) => set.guards?.(asked(intent), view) ?? [],
    label: labelOf,
    check: (intent, view) => {
      const order = orderFindings(intent, view)
      const members = set.check(asked(intent), view)
      return [
        ...order,
        ...members.map((finding) => renamed(intent, finding)),
        ...(order.length === 0 && members.every(({ level }) => level !== 'stop')
          ? laidFindings(intent, view)
          : []),
      ]
    },
    plan: (intent, view) => set.plan(asked(intent), view),
    prove: () => [],
    after: (intent, view) => set.after?.(asked(intent), view) ?? view,
  }
}
