/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'
import {
  bytesText,
  coresText,
  countText,
  durationText,
  listText,
  moneyText,
  numberText,
} from '../units'

export const said = sentences({
  // autoscale
  'pool.ranges': (p: { cluster: string }) =>
    `No pool of ${p.cluster} has a range: none would scale until one has.`,
  'pools-nodes': (p: { poolsCount: number; nodesCount: number }) =>
    `${countText(p.poolsCount, 'pool')}, ${countText(p.nodesCount, 'node')}`,
  'pool.scale': (p: { ranged: readonly string[] }) =>
    `${listText(p.ranged)} will grow for what waits, and give back nodes that are half empty for 10 min, without asking.`,
  'pool-ranges': () => 'ranges of its pools',

  // labels
  'label.now': (p: { labels: string }) => `now: ${p.labels}`,
  'label.same': (p: { cluster: string }) => `${p.cluster} is labelled and guarded so already.`,
  'label.windowless': (p: { cluster: string; lost: readonly string[] }) =>
    `No maintenance window would cover ${p.cluster} any more: ${listText(p.lost)} did, by its labels.`,
  'label.windows': (p: { gained: readonly string[]; lost: readonly string[] }) =>
    [
      ...(p.gained.length === 0
        ? []
        : [`It comes into ${countText(p.gained.length, 'window')}: ${listText(p.gained)}.`]),
      ...(p.lost.length === 0
        ? []
        : [`It falls out of ${countText(p.lost.length, 'window')}: ${listText(p.lost)}.`]),
    ].join(' '),
  'label.guard': (p: { cluster: string }) =>
    `${p.cluster} would be guarded no longer: what is done to it runs without its name being typed.`,

  // health
  'agents.reach': (p: { cluster: string; hop: string; by: string }) =>
    `A new node would not reach the API of ${p.cluster} (${p.hop}: ${p.by}) and could not join.`,
  'agents-walked': (p: { nodes: number }) =>
    `the way of ${countText(p.nodes, 'node')} to the API, walked`,
  'shared-cause.rule': (p: { nodes: readonly string[]; rule: string }) =>
    p.nodes.length === 1
      ? `${listText(p.nodes)} does not reach its API: rule ${p.rule}.`
      : `${countText(p.nodes.length, 'node')}, one cause: rule ${p.rule}.`,
  'shared-cause.way': (p: { nodes: readonly string[]; decided: string }) =>
    p.nodes.length === 1
      ? `${listText(p.nodes)} does not reach its API: ${p.decided}`
      : `${countText(p.nodes.length, 'node')}, one cause: ${p.decided}`,
  'shared-cause.together': (p: { nodes: readonly string[]; where: string; seconds: number }) =>
    `${countText(p.nodes.length, 'node')} of ${p.where} fell silent within ${durationText(Math.max(p.seconds, 1))}: one cause is likely, and it is not known yet.`,
  'held.replaced': (p: { node: string }) =>
    `${p.node} was replaced within the last day and is not ready again: another machine would not help.`,
  'held.guarded': (p: { node: string; cluster: string }) =>
    `${p.node} needs another machine. ${p.cluster} is guarded, and its health keeping is not allowed to replace machines.`,
  'held.case': (p: { node: string; case: string; cause: string }) =>
    `${p.node} is left as it is: ${p.case} names a cause that no start mends. ${p.cause}`,
  'held.last': (p: { node: string; pool: string }) =>
    `${p.node} needs another machine. No other node of ${p.pool} is ready: replacing it would empty the pool.`,
  'held.day': (p: { node: string; count: number; cluster: string }) =>
    `${p.node} needs another machine. ${countText(p.count, 'machine')} of ${p.cluster} ${p.count === 1 ? 'was' : 'were'} replaced within a day: that is as many as are allowed.`,

  // draining
  'held.no-room': (p: { pods: readonly string[]; reasons: string }) => {
    const [first = ''] = p.pods
    if (p.pods.length === 1)
      return `${first} cannot be moved: no other node takes it${p.reasons === '' ? '' : `; ${p.reasons}`}.`
    return `${listText(p.pods, 4)} cannot be moved: no other node takes them${p.reasons === '' ? '' : `. Of the nodes for ${first}, ${p.reasons}`}.`
  },
  'held.no-controller': (p: { pods: readonly string[] }) =>
    p.pods.length === 1
      ? `${listText(p.pods)} cannot be moved: it has no controller that would make it anew.`
      : `${listText(p.pods, 4)} cannot be moved: they have no controller that would make them anew.`,
  'held.local-data': (p: { pods: readonly string[] }) =>
    `${listText(p.pods, 4)} would lose what ${p.pods.length === 1 ? 'it keeps in its' : 'they keep in their'} emptyDir volumes. Allow the loss of local data, or keep the data elsewhere.`,
  'held.budget': (p: { pods: readonly string[]; budget: string }) =>
    `${listText(p.pods, 4)} cannot be moved. ${p.budget}`,
  'room-usable': (p: {
    pods: number
    cpuMilli: number
    memoryBytes: number
    nodes: number
    freeCpuMilli: number
    freeMemoryBytes: number
  }) =>
    `${p.pods === 1 ? 'it asks' : 'together they ask'} for ${coresText(p.cpuMilli)} and ${bytesText(p.memoryBytes)}; ${
      p.nodes === 0
        ? 'no node lacks nothing but room'
        : `on the ${countText(p.nodes, 'node')} that ${p.nodes === 1 ? 'lacks' : 'lack'} nothing but room, ${coresText(p.freeCpuMilli)} and ${bytesText(p.freeMemoryBytes)} are free`
    }`,
  'placed-evicted-copy': (p: { cluster: string; evictionsCount: number; blockedCount: number }) =>
    `placed and evicted on a copy of ${p.cluster}: ${countText(p.evictionsCount, 'pod')} would move, ${p.blockedCount} would not`,
  'pod-caution': (p: { pod: string; caution: string }) => `${p.pod}: ${p.caution}`,
  'hostpath-volume': () => 'hostPath volume',
  'drain.moves': (p: { evictionsCount: number; seconds: number; to: readonly string[] }) =>
    `${countText(p.evictionsCount, 'pod')} move one after another, in ${durationText(p.seconds)} as they last started: ${listText(p.to, 4)}.`,
  'placed-copy-cluster': () => 'placed on a copy of the cluster, budgets kept',
  'node.known.no-node-chosen': () => 'No node is chosen.',
  'node.known.no-node': (p: { cluster: string; missing: readonly string[] }) =>
    `${p.cluster} has no node ${listText(p.missing)}.`,
  'nodes-listed': (p: { nodesCount: number }) => `${countText(p.nodesCount, 'node')} listed`,
  'node.cordoned': (p: { node: string; open: boolean }) =>
    `${p.node} is ${p.open ? 'open' : 'cordoned'} already.`,
  'takes-pods': () => 'takes pods',
  cordoned: () => 'cordoned',

  // machines
  'node.known.not-there': (p: { cluster: string; node: string }) =>
    `${p.cluster} has no node ${p.node}.`,
  'node.ready.ready-without-control': (p: { node: string }) =>
    `${p.node} is ready, and without it the control plane has no majority: its API will not answer while it restarts.`,
  'node.ready.ready-stop-long': (p: { node: string; pods: number }) =>
    `${p.node} is ready. Its ${countText(p.pods, 'pod')} stop for as long as it restarts.`,
  pods: (p: { pods: number }) => countText(p.pods, 'pod'),
  'machine.box.stands-nobody-make': (p: { node: string; machine: string }) =>
    `${p.node} stands on ${p.machine}, which nobody can make anew. Restart it instead.`,
  'machine-stood-there': (p: { machine: string }) => `${p.machine} is a machine that stood there`,
  'member.only': (p: { node: string }) =>
    `${p.node} is the only control-plane machine: its state store would be gone. Take a backup and restore it on a new cluster.`,
  'single-member': () => '1 member',
  'member.majority': (p: { node: string; membersLeft: number; members: number }) =>
    `Without ${p.node} the control plane has ${p.membersLeft} of ${p.members} members: no majority.`,
  'majority-rule': () => 'more than half must answer',
  'node.ready.ready-moved-away': (p: { node: string; pods: number }) =>
    `${p.node} is ready. Its ${countText(p.pods, 'pod is', 'pods are')} moved away, and its disk is lost.`,
  'pods-m-requested': (p: { pods: number; requestedCpuMilli: number }) =>
    `${countText(p.pods, 'pod')}, ${numberText(p.requestedCpuMilli)} m requested`,

  // cluster
  'certificates.managed': (p: { site: string; cluster: string }) =>
    `${p.site} renews the certificates of ${p.cluster} by itself.`,
  'certificates.single': (p: { cluster: string }) =>
    `${p.cluster} has one control-plane machine: its API does not answer for about a minute.`,
  'backup.managed': (p: { site: string; cluster: string }) =>
    `${p.site} keeps the state store of ${p.cluster}; what is kept here are its objects.`,
  'backup.name': (p: { cluster: string; backup: string }) =>
    `${p.cluster} has a backup ${p.backup} already.`,
  backups: (p: { backups: readonly string[] }) => `backups: ${listText(p.backups, 6)}`,
  'backup.known': (p: { cluster: string; backup: string }) =>
    `${p.cluster} has no backup ${p.backup}.`,
  'backups-all': (p: { backups: readonly string[] }) =>
    `backups: ${listText(p.backups, 6) || 'none'}`,
  'backup.loses': (p: { cluster: string; minutes: number; backup: string }) =>
    `What was changed in ${p.cluster} in the ${countText(p.minutes, 'minute')} since ${p.backup} is lost.`,
  'backup-taken': (p: { at: string; objects: number }) =>
    `taken ${p.at}Z, ${countText(p.objects, 'object')}`,

  // pool-parts
  'pool.known.control-plane-no': () => 'The control plane is no pool.',
  'pool.known.no-pool': (p: { cluster: string; wanted: string }) =>
    `${p.cluster} has no pool ${p.wanted}.`,
  pools: (p: { pools: readonly string[] }) => `pools: ${listText(p.pools) || 'none'}`,

  // resize
  'pool.known.control-plane-no-pool': () =>
    'The control plane is no pool; its machines are replaced, not resized.',
  'pool.known.not-there': (p: { cluster: string; pool: string }) =>
    `${p.cluster} has no pool ${p.pool}.`,
  'pool.range': (p: { min: number; max: number }) =>
    `The lower end ${p.min} is above the upper end ${p.max}.`,
  'pool.within': (p: { pool: string; min: number; max: number; count: number }) =>
    `${p.pool} scales by itself between ${p.min} and ${p.max}; ${p.count} lies outside.`,
  range: (p: { min: number; max: number }) => `range ${p.min} to ${p.max}`,
  'pool.same': (p: { pool: string; count: number }) =>
    `${p.pool} has ${countText(p.count, 'node')} already.`,
  nodes: (p: { nodesCount: number }) => countText(p.nodesCount, 'node'),
  'range.size': (p: { pods: string; limit: number; total: number }) =>
    `The pod range ${p.pods} holds ${countText(p.limit, 'node')}; there would be ${numberText(p.total)}.`,
  'node-block': () => 'one /24 a node',
  requested: (p: { gone: readonly string[]; cpuMilli: number }) =>
    `${coresText(p.cpuMilli)} are asked for on ${listText(p.gone, 4)}`,
  'node.pool': (p: { pool: string; node: string }) => `${p.pool} has no node ${p.node}.`,
  'node.twice': (p: { node: string }) => `${p.node} is named twice.`,
  'nodes.many': (p: { named: number; gives: number; pool: string; count: number }) =>
    `${countText(p.named, 'node is', 'nodes are')} named to be given up, but ${p.pool} with ${countText(p.count, 'node')} gives up ${p.gives === 0 ? 'none' : numberText(p.gives)}.`,
  'pool.gives': (p: { gone: readonly string[] }) =>
    `${listText(p.gone, 6)} ${p.gone.length === 1 ? 'goes' : 'go'}: ${p.gone.length === 1 ? 'its' : 'their'} pods move best. Name others to give up others.`,
  'least-nodes': (p: { pool: string; least: number; nodes: number }) =>
    p.least >= p.nodes
      ? `none of the nodes of ${p.pool} can be emptied as its pods stand`
      : `${p.pool} needs at least ${countText(p.least, 'node')} for its pods as they stand`,
  'gives-placed': () => 'each node of the pool was emptied on a copy of the cluster',
  'pool.last.no-worker-left': () => 'No worker would be left for the platform’s own pods.',
  'pool.moves': (p: { pods: number; gone: readonly string[]; to: readonly string[] }) =>
    `${countText(p.pods, 'pod')} on ${listText(p.gone, 3)} ${p.pods === 1 ? 'ends and is' : 'end and are'} made anew elsewhere${p.to.length === 0 ? '' : `: ${listText(p.to, 4)}`}.`,

  // pool-add
  'pool.name': (p: { cluster: string; pool: string }) =>
    `${p.cluster} has a pool ${p.pool} already.`,
  'pools-all': (p: { pools: readonly string[] }) => `pools: ${listText(p.pools)}`,
  'size.known': (p: { site: string; size: string }) => `${p.site} offers no size ${p.size}.`,
  sizes: (p: { sizes: readonly string[] }) => `sizes: ${listText(p.sizes)}`,

  // turnover
  'size.same': (p: { pool: string; size: string }) => `${p.pool} is of ${p.size} already.`,
  'machine.box.stands-machines-nobody': (p: { pool: string }) =>
    `${p.pool} stands on machines that nobody can make anew.`,
  'moved-node-node': (p: { cluster: string }) => `moved node by node on a copy of ${p.cluster}`,
  'pod-node-name': (p: { pod: string; node: string; obstacle: string }) =>
    `${p.pod} does not leave ${p.node}: ${p.obstacle}`,
  'pool.turnover': (p: { nodesCount: number; moved: number; seconds: number }) =>
    `${countText(p.nodesCount, 'node is', 'nodes are')} replaced one after another; ${countText(p.moved, 'pod')} move, in ${durationText(p.seconds)} as they last started.`,

  // pools
  'pool.nothing': () => 'Neither size nor labels nor taints are given: there is nothing to change.',
  'pool.both': () =>
    'A turnover makes every node anew; change labels and taints in a change of their own, before it or after it.',
  'pool.label': (p: { own: readonly string[] }) =>
    `${listText(p.own)} says what a node is; it is not changed by hand.`,
  'pool.homeless': (p: { lost: readonly string[]; evicts: boolean }) =>
    `${countText(p.lost.length, 'pod')} of this pool would find no place if made anew: ${listText(p.lost, 4)}.${p.evicts ? ' NoExecute would end them at once.' : ' They stay as long as they run.'}`,
  'placed-anew-copy': () => 'placed anew on a copy with the pool as it would be',

  // pool-remove
  'pool.platform': (p: { pool: string; lost: readonly string[] }) =>
    `Without ${p.pool} the platform’s own pods have no node that takes them: ${listText(p.lost, 4)}.`,
  'placed-copy-without': () => 'placed on a copy without the pool',
  'pool.last.last-pool-no': (p: { pool: string }) =>
    `${p.pool} is the last pool: no worker would be left.`,
  workers: (p: { nodesCount: number }) => `${p.nodesCount} workers`,

  // rest
  'nodes-and-pods': (p: { nodesCount: number; podCount: number }) =>
    `${countText(p.nodesCount, 'node')}, ${countText(p.podCount, 'pod')}`,
  'cluster.rests': (p: { cluster: string }) => `${p.cluster} is stopped already.`,
  'machine.box.stand-there-they': (p: { boxes: readonly string[] }) =>
    `${listText(p.boxes, 3)} ${p.boxes.length === 1 ? 'is a machine' : 'are machines'} that stand there: they cannot be given back.`,
  'cluster.drives.drives-without-nothing': (p: { cluster: string; driven: readonly string[] }) =>
    `${p.cluster} drives ${listText(p.driven)}: without it nothing keeps them.`,
  drives: (p: { drives: readonly string[] }) => `drives ${p.drives.join(', ')}`,
  'cluster.pods': (p: { podCount: number; keptUntil: string }) =>
    `Its ${countText(p.podCount, 'pod')} end. Objects, disks, load balancers and addresses stay; while it is stopped it can only be started or taken down. It is kept until ${p.keptUntil}.`,
  'cluster.counts.scale-themselves-after': (p: {
    scaled: readonly string[]
    counts: readonly number[]
  }) =>
    `${listText(p.scaled)} scale by themselves: after a start they may settle at other counts than ${p.counts.join(' and ')}.`,
  'pool-range': (p: { pool: string; min: number; max: number }) =>
    `${p.pool}: ${p.min} to ${p.max}`,
  'cluster.runs': (p: { cluster: string }) => `${p.cluster} is not stopped.`,
  'budget-slack': (p: { budget: string }) => `Let one more of ${p.budget} go`,
  'api-answers': () => 'its API answers',
  'api-does-not': () => 'its API does not answer',
  'start.control-plane': () => 'The control plane cannot stay out: without it nothing runs.',
  'start.zones': (p: { machines: readonly string[] }) =>
    `${listText(p.machines, 3)} ${p.machines.length === 1 ? 'comes' : 'come'} back in another zone: a pod whose disk stands in the old one waits there.`,
  'start.smaller': (p: { machines: readonly string[]; sizes: readonly string[] }) =>
    `${listText(p.machines, 3)} ${p.machines.length === 1 ? 'comes' : 'come'} back smaller, as ${listText(p.sizes)}: a pod that found its place before may wait.`,
  'pods-unseen': (p: { cluster: string }) => `what ${p.cluster} runs is seen only once it answers`,
  'volumes-zone': () => 'a disk is only reached from its own zone',
  'start.part': (p: { pools: readonly string[] }) =>
    `${listText(p.pools)} ${p.pools.length === 1 ? 'stays' : 'stay'} empty until resized.`,
  'again.stock': (p: { size: string; zones: readonly string[]; machines: readonly string[] }) =>
    `No ${p.size} is left in ${listText(p.zones)} for ${listText(p.machines, 3)}.`,
  'again.stocked': (p: { size: string; zones: readonly string[] }) =>
    p.zones.length === 0
      ? `no zone has a ${p.size} left`
      : `${p.size} is to be had in ${listText(p.zones)}`,
  'again.each': (p: { machines: number; site: string }) =>
    `${p.site} could give ${p.machines === 1 ? 'its machine' : `each of its ${p.machines} machines`} again now; nobody keeps ${p.machines === 1 ? 'it' : 'them'} free meanwhile.`,
  'again.now': (p: { machines: string }) => `${p.machines}: sizes, quota, hosts and credentials`,
  'again.not': (p: { cluster: string; why: string }) =>
    `${p.cluster} could not be started again as things are: ${p.why}`,
  'cluster.counts.scale-themselves-may': (p: { scaled: readonly string[] }) =>
    `${listText(p.scaled)} scale by themselves and may settle at other counts than before.`,
  'rest.always': (p: { cluster: string }) => `${p.cluster} would rest all week long.`,
  'rest-hours': (p: { hours: number }) => `${numberText(p.hours, 1)} of 168 h in the coming week`,
  'cluster.drives.drives-cannot-rest': (p: { cluster: string; drives: readonly string[] }) =>
    `${p.cluster} drives ${listText(p.drives)}: it cannot rest.`,
  'rest.saves': (p: { hours: number; saved: number }) =>
    `It rests ${numberText(p.hours, 1)} h in the coming week and saves ${moneyText(p.saved)} units in it.`,
  'cluster-hourly': (p: { clusterHourly: number }) =>
    `${moneyText(p.clusterHourly)} units an hour for machines and control plane`,

  // prices
  'there-no-site': (p: { site: string }) => `There is no site ${p.site}.`,
  'nothing-called-price': (p: { site: string; item: string }) =>
    `${p.site} has nothing called ${p.item} that has a price.`,
  'prices.changed.all-them-they': () => 'All of them are as they are already.',
  'prices.changed.different': (p: { different: readonly string[] }) =>
    `${listText(p.different, 4)}.`,
  differ: (p: { differentCount: number; pricesCount: number }) =>
    `${p.differentCount} of ${p.pricesCount} differ`,
  'items-priced': (p: { items: readonly string[] }) => listText(p.items, 8),
})
