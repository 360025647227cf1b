/** Drills that come with the demo: what is broken, what is told of it, and what helps at a price. */
import { causeCodes, fleetCauses } from '~/core/diagnosis'

/** What runs halt at in drills. */
const runCauses = ['eviction-refused', 'no-address'] as const

/** Everything that a cause can be named by. */
export const drillCauses = [...causeCodes, ...fleetCauses, ...runCauses] as const
export type DrillCause = (typeof drillCauses)[number]

export interface DrillKind {
  readonly name: string
  readonly title: string
  /** What whoever is on duty is told. */
  readonly story: string
  readonly goal: string
  readonly faults: readonly { readonly fault: string; readonly about: string }[]
  /** What it is, once named right: each of them where there are several. */
  readonly causes: readonly DrillCause[]
  /** What somebody has just begun when the faults come. */
  readonly run?: { readonly kind: string; readonly intent: Readonly<Record<string, unknown>> }
  /** What the case is about when the drill begins. */
  readonly cluster: string
  readonly hints: readonly string[]
}

const notReady =
  'The board of the desk shows a node of bramble that is not ready. Nobody has touched it, they say.'
const node = 'machine/palisade-east/bramble-general-1'
const ready = 'Every node of bramble is ready again, and you know why one was not.'

export const drillKinds: readonly DrillKind[] = [
  {
    name: 'quiet-node',
    title: 'A node is not ready, one',
    story: notReady,
    goal: ready,
    faults: [{ fault: 'runtime-dies', about: node }],
    causes: ['runtime-down'],
    cluster: 'bramble',
    hints: [
      'Its agent still answers: what does it say of the part below it?',
      'The log of the node tells when its runtime was last heard.',
    ],
  },
  {
    name: 'far-away',
    title: 'A node is not ready, two',
    story: notReady,
    goal: ready,
    faults: [{ fault: 'rule-switched', about: 'rule/palisade-east/uplink-closed' }],
    causes: ['api-unreachable'],
    cluster: 'bramble',
    hints: ['How many are silent, and since when?', 'Walk a packet from the node to its API.'],
  },
  {
    name: 'closed-gate',
    title: 'A node is not ready, three',
    story: notReady,
    goal: ready,
    faults: [{ fault: 'gate-closes', about: 'node/bramble/bramble-general-1' }],
    causes: ['webhook-blocks-system-pods', 'webhook-unreachable'],
    cluster: 'bramble',
    hints: [
      'The node says what it lacks: who would have to be made there?',
      'Look at what the API told the controller of that daemon set.',
    ],
  },
  {
    name: 'two-at-once',
    title: 'It never comes alone',
    story: `${notReady} Pods are being evicted, too.`,
    goal: 'Both causes are gone, not only the louder one.',
    faults: [
      { fault: 'runtime-dies', about: node },
      { fault: 'disk-fills', about: node },
    ],
    causes: ['runtime-down', 'disk-full'],
    cluster: 'bramble',
    hints: ['After the first remedy, look again at what is left.'],
  },
  {
    name: 'looks-like-a-crash',
    title: 'It ends again and again',
    story: 'The price feed of the market ends by itself every few minutes. Its log says nothing.',
    goal: 'The price feed runs.',
    faults: [{ fault: 'memory-short', about: 'workload/bramble/market/price-feed' }],
    causes: ['memory-killed'],
    cluster: 'bramble',
    hints: ['With which code did it end?', 'Somebody else wrote down why: the node.'],
  },
  {
    name: 'ended-in-the-night',
    title: 'Since this morning',
    story: 'One node of bramble has not been heard since the night. Its machine runs.',
    goal: ready,
    faults: [{ fault: 'host-certificate-ends', about: node }],
    causes: ['certificate-expired'],
    cluster: 'bramble',
    hints: ['What does its agent get for an answer from the API?'],
  },
  {
    name: 'another-time',
    title: 'Out of time',
    story: 'A node of bramble refuses every certificate that it is shown.',
    goal: ready,
    faults: [{ fault: 'clock-drifts', about: node }],
    causes: ['clock-off'],
    cluster: 'bramble',
    hints: ['“Not yet valid” is not the same as “no longer valid”.'],
  },
  {
    name: 'nobody-behind',
    title: 'Nobody behind it',
    story: 'The ledger view does not answer any more. All its pods are ready.',
    goal: 'Callers of the ledger view are answered.',
    faults: [{ fault: 'selector-turned', about: 'service/bramble/market/ledger-view' }],
    causes: ['no-match'],
    cluster: 'bramble',
    hints: ['How many pods does its service have behind it?'],
  },
  {
    name: 'wrong-door',
    title: 'The wrong door',
    story: 'Callers of the ledger view are refused at once. Its service has pods behind it.',
    goal: 'Callers of the ledger view are answered.',
    faults: [{ fault: 'port-turned', about: 'service/bramble/market/ledger-view' }],
    causes: ['port-wrong'],
    cluster: 'bramble',
    hints: ['Compare what the service leads to with what its pods listen on.'],
  },
  {
    name: 'slow-store',
    title: 'Everything takes long',
    story: 'Every answer of the API of cedar takes seconds. Nothing else is wrong, it seems.',
    goal: 'You can say what slows it.',
    faults: [{ fault: 'state-store-slow', about: 'cluster/cedar' }],
    causes: ['store-slow'],
    cluster: 'cedar',
    hints: ['Read what the control plane writes.'],
  },
  {
    name: 'no-room-left',
    title: 'No room left',
    story: 'Pods leave a node of bramble one after another, and images cannot be removed.',
    goal: 'Nothing is evicted any more.',
    faults: [{ fault: 'disk-fills', about: node }],
    causes: ['disk-full'],
    cluster: 'bramble',
    hints: ['Which pressure does the node tell of?'],
  },
  {
    name: 'hangs',
    title: 'It answers nobody',
    story: 'The price feed is started again and again, though it never ends by itself.',
    goal: 'You can say who ends it, and why.',
    faults: [{ fault: 'process-hangs', about: 'workload/bramble/market/price-feed' }],
    causes: ['liveness-probe'],
    cluster: 'bramble',
    hints: ['Who asked it, and what did it not answer?'],
  },
  {
    name: 'gone-tag',
    title: 'It was there yesterday',
    story: 'One of the price feeds was started anew, as happens. It does not come back.',
    goal: 'You can say what is missing, and where.',
    faults: [{ fault: 'tag-withdrawn', about: 'workload/bramble/market/price-feed' }],
    causes: ['image-missing'],
    cluster: 'bramble',
    hints: ['What does the runtime say it looked for?', 'Does the registry still hold that tag?'],
  },
  {
    name: 'wrong-zone',
    title: 'Between two zones',
    story: 'Somebody tidied up where the cold chain of cedar runs. Its new pods wait.',
    goal: 'You can say why no node takes them.',
    faults: [{ fault: 'pods-pinned', about: 'workload/cedar/gathering/cold-chain' }],
    causes: ['volume-elsewhere'],
    cluster: 'cedar',
    hints: [
      'Count the reasons of the scheduler: which nodes got farthest?',
      'Where is its volume?',
    ],
  },
  {
    name: 'no-slack',
    title: 'Nobody may leave',
    story: 'A colleague drains a node of bramble for its yearly check. The drain stands still.',
    goal: 'The drain is done, taken back or given up, and you know what held it.',
    run: { kind: 'node.drain', intent: { cluster: 'bramble', nodes: ['bramble-general-1'] } },
    faults: [{ fault: 'budget-tightened', about: 'budget/bramble/climate/climate-loop' }],
    causes: ['eviction-refused'],
    cluster: 'bramble',
    hints: ['Which pod is the last on the node?', 'Who says how many of its kind may be missing?'],
  },
  {
    name: 'no-more-addresses',
    title: 'The last address',
    story: 'A colleague adds a node to cedar. Its machine starts, and never joins.',
    goal: 'The node joins.',
    run: { kind: 'pool.resize', intent: { cluster: 'cedar', pool: 'general', count: 7 } },
    faults: [{ fault: 'pool-empty', about: 'network/mossgate/mossgate nodes' }],
    causes: ['no-address'],
    cluster: 'cedar',
    hints: ['What is the first thing a machine asks its network for?', 'Who holds all of them?'],
  },
]
