/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../../contract/said'
import { countText, durationText, listText, moneyText } from '../../units'

const minuteText = (iso: string): string => iso.slice(0, 16).replace('T', ' ')

const howText = {
  anew: 'made anew',
  'in-place': 'updated where they are',
  beside: 'made beside the old ones first',
} as const

export const said = sentences({
  'cluster-runs': (p: { cluster: string; release: string }) => `${p.cluster} runs ${p.release}`,
  'release.unknown': (p: { release: string }) =>
    p.release === '' ? 'Say which release.' : `The catalogue has no release ${p.release}.`,
  'release.below': (p: { release: string; runs: string }) =>
    `${p.release} is not above ${p.runs}: a control plane goes upwards only.`,
  'release.unsupported': (p: { release: string }) => `Support of ${p.release} has ended already.`,
  'support-ended': (p: { release: string; until: string }) =>
    `${p.release} was supported until ${p.until}`,
  'release.not-published': (p: { release: string }) =>
    `${p.release} is not among what is published with its ways and images.`,
  'release.not-told': (p: { site: string; release: string }) =>
    `${p.site} has no link, and the catalogue carried there does not know ${p.release}: the next shipment brings it.`,
  'catalogue-carried': (p: { newest: string }) =>
    `the catalogue that came last knows releases up to ${p.newest}`,
  'path.problem': (p: { says: string }) => p.says,
  'path.is': (p: { path: readonly string[] }) => `path: ${p.path.join(' → ')}`,
  'objects.gone': (p: { count: number; release: string; objects: readonly string[] }) =>
    `${countText(p.count, 'object is', 'objects are')} written in a version that ${p.release} no longer serves: ${listText(p.objects, 4)}.`,
  'object.goes': (p: { object: string; apiVersion: string; removedIn: string }) =>
    `${p.object}: ${p.apiVersion} is gone in ${p.removedIn}`,
  'object.decide': (p: { object: string; decide: string }) => `${p.object}: ${p.decide}`,
  'pool.box': (p: { pool: string }) =>
    `Machines of ${p.pool} stand there and nobody makes them anew: their agents can be updated where they are.`,
  'box.stands': (p: { machine: string }) => `${p.machine} is a box`,
  'member.tells': (p: { cluster: string; code: string; says: string }) => `${p.cluster}: ${p.says}`,
  'cluster.twice': (p: { cluster: string }) => `${p.cluster} is listed twice.`,
  'waves.driver': (p: { cluster: string; driver: string }) =>
    `${p.driver} drives ${p.cluster}, so it goes in an earlier wave.`,
  'cluster.drives': (p: { cluster: string; driver: string }) => `${p.driver} drives ${p.cluster}`,
  'waves.any-time': (p: { cluster: string }) =>
    `${p.cluster} begins as soon as its turn comes, outside its maintenance windows too.`,
  'waves.laid': (p: { cluster: string; window: string; start: string; end: string }) =>
    `${p.cluster} is laid into ${p.window}: ${minuteText(p.start)} to ${minuteText(p.end)} UTC at the worst.`,
  'waves.unlaid': (p: { cluster: string; window: string; why: string }) =>
    `${p.cluster} cannot be laid into ${p.window}: ${p.why}`,
  'clients.going': (p: { cluster: string; release: string; agents: readonly string[] }) =>
    `${listText(p.agents, 4)} ${p.agents.length === 1 ? 'asks' : 'ask'} ${p.cluster} for versions that ${p.release} no longer serves: ${p.agents.length === 1 ? 'it gets' : 'they get'} nothing from then on.`,
  'client.asks': (p: {
    from: string
    apiVersion: string
    kind: string
    perDay: number
    removedIn: string
  }) =>
    `${p.from} asks for ${p.kind} of ${p.apiVersion} ${p.perDay} times a day; it is gone in ${p.removedIn}`,
  'pool.unknown': (p: { pool: string }) =>
    p.pool === '' ? 'Say which pool.' : `There is no pool ${p.pool} to turn over.`,
  'pools.are': (p: { pools: readonly string[] }) => `pools: ${listText(p.pools, 8) || 'none'}`,
  'pool.in-place': (p: { pool: string; site: string }) =>
    `Agents of ${p.pool} cannot be updated where they are: ${p.site} makes machines from its images.`,
  'site.is-cloud': (p: { site: string }) => `${p.site} is a cloud`,
  'pool.disks': (p: { pool: string; disks: number }) =>
    `Machines of ${p.pool} hold ${countText(p.disks, 'disk')} with copies of volumes: made anew they would come back empty.`,
  'disk.of': (p: { disk: string }) => `disk ${p.disk}`,
  'pool.pace': (p: { pool: string }) =>
    `No node of ${p.pool} may be missing and none may come beside: nothing could ever go.`,
  'budgets.past': (p: { pool: string; pods: readonly string[]; graceSeconds: number }) =>
    `${listText(p.pods, 3)} of ${p.pool} ${p.pods.length === 1 ? 'goes' : 'go'} past ${p.pods.length === 1 ? 'its budget' : 'their budgets'}, ${durationText(p.graceSeconds)} after it is asked: fewer run than was promised until the successor is ready.`,
  'budget.says': (p: { says: string }) => p.says,
  'pool.moves': (p: {
    pool: string
    pods: number
    nodes: number
    seconds: number
    how: 'anew' | 'in-place' | 'beside'
  }) =>
    `${p.pool}: ${countText(p.pods, 'pod')} move from ${countText(p.nodes, 'node')}, which takes about ${durationText(p.seconds)} in all; machines are ${howText[p.how]}.`,
  'pool.spend': (p: { pool: string; machines: number; perHour: number }) =>
    `${p.pool}: ${countText(p.machines, 'machine')} beside cost${p.machines === 1 ? 's' : ''} ${moneyText(p.perHour)} more for each hour of its turnover.`,
  'release.not-carried': (p: { site: string; release: string; missing: number }) =>
    `${p.site} has no link, and ${countText(p.missing, 'image')} of ${p.release} were not carried in: pack a shipment first.`,
  'registry-holds': (p: { registry: string; images: number }) =>
    `${p.registry} holds ${countText(p.images, 'image')}`,
  'member.single': (p: { cluster: string; moves: number }) =>
    `${p.cluster} has one control-plane member: its API is silent for about two minutes at each of ${countText(p.moves, 'step')}. What runs goes on.`,
  members: (p: { members: number }) => countText(p.members, 'member'),
  'window.none': (p: { cluster: string }) =>
    `${p.cluster} has no maintenance window: nothing says when this may run.`,
  'windows.are': (p: { windows: readonly string[] }) =>
    `windows: ${listText(p.windows, 4) || 'none'}`,
  'guard.not-served': (p: { cluster: string; from: string }) =>
    `${p.cluster} has no admission policies yet: they are there from ${p.from} on.`,
  'guard.nothing': (p: { target: string }) => `Nothing that is known is gone at ${p.target}.`,
  'guard.same': (p: { name: string }) => `${p.name} does this already.`,
  'guard.is': (p: { name: string; action: string }) => `${p.name}: ${p.action}`,
  'guard.meets': (p: { objects: readonly string[]; action: 'refuse' | 'warn' }) =>
    `${countText(p.objects.length, 'object')} that ${p.objects.length === 1 ? 'lives' : 'live'} would be ${p.action === 'refuse' ? 'refused' : 'warned of'} when written again: ${listText(p.objects, 4)}.`,
  'upgrade.final': () =>
    'Add-ons can be taken back. A control plane cannot: from its first step on the way back is the backup that is taken first.',
})
