/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../../contract/said'
import { countText, durationText, listText } from '../../units'

/** What the causes mean that are none of a cluster’s API objects. */
export const fleetMeanings = {
  'host-dead': 'a host is dead, with everything that ran on it',
  'disk-lost': 'a disk that keeps copies does not answer any more',
  'disk-out-of-room': 'a disk that keeps copies has no room left for them',
  'disk-slow': 'a disk that keeps copies takes far longer than it should',
  'answers-fail': 'it is reached, and its answers are errors',
  'walk-stopped': 'what is to arrive is stopped on its way',
  'walk-open': 'what is to be stopped arrives',
  'spot-taken': 'a cloud took a spot machine back',
  'site-slow': 'everything at a site takes longer than it usually does',
} as const

const rate = (perSecond: number): string =>
  `${perSecond < 10 ? perSecond.toFixed(1) : Math.round(perSecond)}/s`

export const said = sentences({
  'fleet.disk': (p: {
    cause: 'disk-lost' | 'disk-out-of-room' | 'disk-slow'
    disk: string
    node: string
  }) =>
    ({
      'disk-lost': `${p.disk} of ${p.node} does not answer any more`,
      'disk-out-of-room': `${p.disk} of ${p.node} has no room left for the copies it keeps`,
      'disk-slow': `${p.disk} of ${p.node} takes far longer than it should`,
    })[p.cause],
  'fleet.disk-symptom': (p: { copies: number; cluster: string; zone: string }) =>
    `${countText(p.copies, 'copy', 'copies')} of volumes of ${p.cluster} in ${p.zone} suffer`,
  'fleet.copy': (p: {
    node: string
    disk: string
    state: string
    reason: string
    slowness: number
  }) =>
    p.slowness > 1
      ? `a write on ${p.disk} of ${p.node} takes ${p.slowness} times as long`
      : `its copy on ${p.disk} of ${p.node} is ${p.state}${p.reason === '' ? '' : `: ${p.reason}`}`,
  'fleet.volume': (p: { whole: number; copies: number; isSlow: boolean }) =>
    p.isSlow
      ? 'every write waits for its slowest copy'
      : `has ${p.whole} of ${countText(p.copies, 'copy', 'copies')}`,
  'fleet.answers': (p: { service: string; failed: number; asked: number }) =>
    `${rate(p.failed)} of ${rate(p.asked)} answers of ${p.service} are errors`,
  'fleet.answers-symptom': (p: { callers: number; service: string }) =>
    `${countText(p.callers, 'caller')} of ${p.service} ${p.callers === 1 ? 'gets' : 'get'} errors for answers`,
  'fleet.call': (p: { failing: number; perSecond: number }) =>
    `${rate(p.failing)} of ${rate(p.perSecond)} calls fail`,
  'fleet.call-fact': (p: {
    from: string
    method: string
    path: string
    failing: number
    perSecond: number
  }) =>
    `${p.from} asks ${p.method} ${p.path}: ${rate(p.failing)} of ${rate(p.perSecond)} answers are errors`,
  'fleet.host': (p: { host: string; site: string }) =>
    `${p.host} of ${p.site} is dead, with everything that ran on it`,
  'fleet.expected': (p: { name: string; wanted: boolean }) =>
    `“${p.name}” ${p.wanted ? 'does not arrive' : 'arrives'}`,
  'fleet.spot': (p: { nodes: readonly string[] }) =>
    `${listText(p.nodes, 4)} ${p.nodes.length === 1 ? 'was a spot machine that its cloud' : 'were spot machines that their cloud'} took back`,
  'fleet.spot-symptom': (p: { pool: string; nodes: number }) =>
    `${p.pool} has ${countText(p.nodes, 'node')}, and no machine in place of what was taken`,
  'fleet.spot-pool': (p: { nodes: number }) => `left with ${countText(p.nodes, 'node')}`,
  'fleet.slow': (p: { site: string; times: number }) =>
    `work at ${p.site} takes ${p.times.toFixed(1)} times as long as was likely`,
  'fleet.slow-symptom': (p: { site: string; runs: readonly string[] }) =>
    `${listText(p.runs, 4)} at ${p.site} ${p.runs.length === 1 ? 'is' : 'are'} late`,
  'fleet.late': () => 'takes longer than its plan says',
  'fleet.slow-step': (p: { verb: string; seconds: number; likely: number }) =>
    `${p.verb} took ${durationText(p.seconds)}, ${durationText(p.likely)} was likely`,
})
