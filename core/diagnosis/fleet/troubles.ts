/**
 * What is broken though no object of a cluster tells it: disks that keep copies, answers that are errors, and walks that
 * do not end as they are expected to.
 */
import type { ClusterView, ExpectationView, TrafficView } from '../../fleet'
import { clustersOf, type Expected } from '../../wire'
import { type Trouble, walkKey } from '../cases'
import type { Fact, Ref } from '../facts'
import { said } from './says'
import { type FleetCause, troubleOf } from './told'

type DiskCause = Extract<FleetCause, `disk-${string}`>

/** A copy whose disk takes so many times as long as others is told of. */
const slowFrom = 4

type Storage = NonNullable<ClusterView['storage']>

/** What is wrong with a disk that keeps copies; null where nothing is. */
function diskCause(storage: Storage, node: string, disk: string): DiskCause | null {
  const held = storage.disks.find((each) => each.node === node && each.name === disk)
  if (!held || held.state === 'retiring') return null
  if (held.state === 'lost') return 'disk-lost'
  const copies = copiesOn(storage, node, disk)
  if (held.freeBytes <= 0 && copies.some(({ copy }) => copy.state !== 'whole'))
    return 'disk-out-of-room'
  return copies.some(({ copy }) => copy.slowness >= slowFrom) ? 'disk-slow' : null
}

const copiesOn = (storage: Storage, node: string, disk: string) =>
  storage.volumes.flatMap((volume) =>
    volume.replicas
      .filter((copy) => copy.node === node && copy.disk === disk)
      .map((copy) => ({ volume, copy })),
  )

/** Disks of replicated storage that do not answer, have no room for the copies they keep, or hold up those who write. */
export function diskTroubles(cluster: ClusterView): readonly Trouble<FleetCause>[] {
  const { storage } = cluster
  if (!storage) return []
  return storage.disks.flatMap(({ node, name, zone }): readonly Trouble<FleetCause>[] => {
    const cause = diskCause(storage, node, name)
    if (cause === null) return []
    const subject = `disk/${node}/${name}`
    const copies = copiesOn(storage, node, name)
    const { says } = said('fleet.disk', { cause, disk: name, node })
    const because = copies.flatMap(({ volume, copy }): readonly Fact[] =>
      copy.state === 'whole' && cause !== 'disk-slow'
        ? []
        : [
            {
              type: 'status',
              about: `volume/${volume.name}`,
              at: cause === 'disk-slow' ? null : copy.since,
              text: said('fleet.copy', {
                node,
                disk: name,
                state: copy.state,
                reason: copy.reason,
                slowness: copy.slowness,
              }).says,
            },
          ],
    )
    return [
      troubleOf({
        cluster: cluster.name,
        subject,
        key: `${cause} ${cluster.name} ${subject}`,
        since: because.flatMap(({ at }) => at ?? []).toSorted()[0] ?? null,
        symptom: said('fleet.disk-symptom', { copies: copies.length, cluster: cluster.name, zone })
          .says,
        cause,
        says,
        chain: [
          { about: subject, says },
          ...copies.map(({ volume }) => ({
            about: `volume/${volume.name}`,
            says: said('fleet.volume', {
              whole: volume.replicas.filter(({ state }) => state === 'whole').length,
              copies: volume.copies,
              isSlow: cause === 'disk-slow',
            }).says,
          })),
        ],
        because:
          because.length > 0 ? because : [{ type: 'status', about: subject, at: null, text: says }],
      }),
    ]
  })
}

/** Services whose answers are errors: whatever is in the way of those who call is told where it stands. */
export function answerTroubles(
  cluster: string,
  traffic: readonly TrafficView[],
): readonly Trouble<FleetCause>[] {
  const failing = traffic.flatMap((flow) => {
    const span = flow.spans.find(({ until }) => until === null)
    return span?.at === 'answer' && span.failing > 0 ? [{ flow, span }] : []
  })
  return [...new Set(failing.map(({ flow }) => flow.to))].map((service) => {
    const calls = failing.filter(({ flow }) => flow.to === service)
    const subject = `service/${service}`
    const about = (from: string): Ref => (from.includes('/') ? `workload/${from}` : 'outside')
    const failed = calls.reduce((sum, { span }) => sum + span.failing, 0)
    const asked = calls.reduce((sum, { span }) => sum + span.perSecond, 0)
    const says = said('fleet.answers', { service, failed, asked }).says
    return troubleOf({
      cluster,
      subject,
      key: `answers-fail ${cluster} ${service}`,
      since: calls.map(({ span }) => span.from).toSorted()[0] ?? null,
      symptom: said('fleet.answers-symptom', { callers: calls.length, service }).says,
      cause: 'answers-fail',
      says,
      chain: [
        { about: subject, says },
        ...calls.map(({ flow, span }) => ({
          about: about(flow.from),
          says: said('fleet.call', { failing: span.failing, perSecond: span.perSecond }).says,
        })),
      ],
      because: calls.map(({ flow, span }): Fact => ({
        type: 'status',
        about: about(flow.from),
        at: span.from,
        text: said('fleet.call-fact', {
          from: flow.from,
          method: flow.method,
          path: flow.path,
          failing: span.failing,
          perSecond: span.perSecond,
        }).says,
      })),
    })
  })
}

/** Expectations that do not hold: those that one thing decides are one case. */
export function expectationTroubles(
  kept: readonly ExpectationView[],
  walked: readonly Expected[],
): readonly Trouble<FleetCause>[] {
  return walked.flatMap((expected): readonly Trouble<FleetCause>[] => {
    const expectation = kept.find(({ name }) => name === expected.name)
    if (expected.holds || !expectation) return []
    const subject = `expectation/${expected.name}`
    const by = typeof expected.by === 'string' ? [expected.by] : expected.by
    const isNamed = by.some((decider) => decider !== 'default' && decider !== '')
    const decider = isNamed ? by.join(', ') : `${expected.hop ?? 'start'} of ${expected.name}`
    const symptom = said('fleet.expected', { name: expected.name, wanted: expected.wanted }).says
    return [
      troubleOf({
        cluster: clustersOf(expectation)[0] ?? '',
        subject,
        key: walkKey(decider),
        since: null,
        symptom,
        cause: expected.wanted ? 'walk-stopped' : 'walk-open',
        says: expected.says,
        chain: [
          { about: `way/${decider}`, says: expected.says },
          { about: subject, says: symptom },
        ],
        because: [{ type: 'walk', about: subject, at: null, text: decider }],
      }),
    ]
  })
}
