/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../../core/contract/said'
import { fieldText } from '../../core/objects/field-paths'
import { countText } from '../../core/units'

export const said = sentences({
  // releases
  'minor-skipped': (p: { from: string; to: string }) =>
    `The control plane runs ${p.from}: it cannot go to ${p.to} at once.`,
  'one-minor': () => 'a control plane goes one minor at a time',
  'members-begin': (p: { members: number; to: string }) =>
    p.members === 1
      ? `the only member is restarted with ${p.to}`
      : `${countText(p.members, 'member')} are restarted with ${p.to}, one at a time`,
  'agent-runs': (p: { node: string; release: string }) =>
    `the agent of ${p.node} runs ${p.release}`,
  'agent-newer': (p: { node: string; to: string; release: string }) =>
    `the agent of ${p.node} would run ${p.to}, above the control plane’s ${p.release}`,
  'agent-not-above': () => 'an agent is never newer than the API it talks to',
  'member-not-back': (p: { member: string; to: string }) =>
    `${p.member} was moved to ${p.to} and does not answer.`,
  'member-waits-for-store': (p: { to: string }) =>
    `kube-apiserver ${p.to} exits: context deadline exceeded while dialing the state store`,
  'others-hold': (p: { members: number; release: string }) =>
    `${p.members - 1} of ${p.members} members hold the quorum and answer with ${p.release}`,
  'put-back': (p: { release: string }) =>
    `it has no other member: it was put back to ${p.release} and answers again`,
  'add-on-crash': (p: { addOn: string; version: string }) =>
    `${p.addOn} ${p.version} does not become ready.`,
  'add-on-exits': (p: { version: string }) =>
    `Back-off restarting failed container: ${p.version} exits with 1`,
  'add-on-stays': (p: { version: string }) => `pods of ${p.version} still serve`,
  'control-plane-runs': (p: { release: string }) => `control plane runs ${p.release}`,
  'no-add-on': (p: { cluster: string; addOn: string }) => `${p.cluster} has no ${p.addOn}.`,
  'not-installed': (p: { addOn: string }) => `${p.addOn} is not installed`,
  'add-on-runs': (p: { addOn: string; version: string }) => `${p.addOn} runs ${p.version}`,

  // api
  'certificate-expired': (p: { cluster: string }) =>
    `The certificates of ${p.cluster} have expired.`,
  'valid-until-z': (p: { certificatesUntil: string }) => `valid until ${p.certificatesUntil}Z`,
  'x509-certificate-expired': () => 'x509: certificate has expired',
  'cluster-rests': (p: { cluster: string }) => `${p.cluster} is stopped.`,
  stopped: () => 'stopped',
  'api-down': (p: { name: string }) => `The API of ${p.name} does not answer.`,
  'no-answer-within': () => 'no answer within 10 s',
  'no-such-cluster': () => 'no such cluster',
  'control-plane-gone': () => 'The managed control plane is not there.',
  'does-not-exist': () => 'does not exist',

  // add-ons
  'pods-pending.pod-no-place': (p: { pod: string }) => `Pod ${p.pod} has no place.`,
  'add-ons-not': () => 'add-ons are not running',
  'dns-silent': (p: { cluster: string }) => `The DNS of ${p.cluster} does not answer.`,
  'no-ready-endpoint': () => 'no ready endpoint',
  'pods-pending.pod-finds-no': (p: { pool: string }) => `A pod finds no place on ${p.pool}.`,
  'pod-gone': () => 'The trial pod is gone.',

  // nodes
  'clock-skew': (p: { name: string; minutes: number }) =>
    `${p.name} is refused: its certificate is not valid yet, because its clock is ${p.minutes} min behind.`,
  'does-not-answer': () => 'does not answer',
  'clock-min-behind': (p: { minutes: number }) => `clock ${p.minutes} min behind`,
  'x509-certificate-not': () => 'x509: certificate is not yet valid',
  'api-not-reached': (p: { name: string; cluster: string }) =>
    `${p.name} does not reach the API of ${p.cluster}.`,
  'api-timed-out': () => 'connection to the API timed out after 10 s',
  'agent-silent': (p: { name: string }) => `The node agent of ${p.name} has not registered.`,
  'loops-configuration-names': () => 'loops: its configuration names an API that it cannot parse',
  'not-registered-within': () => 'not registered within 120 s',
  'pod-range-full': (p: { pods: string; name: string }) =>
    `The pod range ${p.pods} has no block left for ${p.name}.`,
  'pod-range-used': () => 'pod range is used up',
  'node-gone.no-longer-registered': (p: { node: string }) => `${p.node} is no longer registered.`,
  'not-found': () => 'not found',

  // keeping
  'no-cluster.there-no-cluster': (p: { cluster: string }) => `There is no cluster ${p.cluster}.`,
  'eviction-refused': (p: { pod: string | null; node: string }) =>
    `${p.pod !== null ? p.pod : 'A pod'} does not leave ${p.node}: its disruption budget does not let it go.`,
  'allows-none': () => 'allows none',
  'eviction-denied': () => 'eviction refused',
  'pods-left': (p: { leftCount: number }) => `${countText(p.leftCount, 'pod')} left`,
  left: (p: { pod: string; node: null | string; successor: string; waits: string }) =>
    `${p.pod} left${p.node === null ? `, ${p.successor} waits: ${p.waits}` : `, ${p.successor} to ${p.node}`}`,
  'node-gone.no-node': (p: { cluster: string; node: string }) =>
    `${p.cluster} has no node ${p.node}.`,
  'storage-unknown': (p: { site: string; name: string }) =>
    `${p.site} offers no storage class ${p.name}.`,
  'no-such-storage': () => 'no such storage class',
  'last-member': (p: { machine: string; cluster: string }) =>
    `${p.machine} is the only control-plane machine of ${p.cluster}.`,
  'no-state-store': () => 'would have no state store',

  // backups
  'backup-gone.no-backup': (p: { cluster: string; backup: string }) =>
    `${p.cluster} has no backup ${p.backup}.`,
  'backup-gone.backup-gone': () => 'The backup is gone.',

  // rest
  'no-cluster.name': (p: { name: string }) => `There is no cluster ${p.name}.`,
  'size-unknown': (p: { site: string; size: string }) => `${p.site} offers no size ${p.size}.`,
  'not-offered': () => 'not offered',
  'no-stock': (p: { size: string; zone: string }) => `${p.size} is sold out in ${p.zone}.`,
  'none-left': () => 'none left',
  'not-started': () => 'not started',
  quota: (p: { site: string; machine: string; cores: number; quotaCores: number }) =>
    `The quota of ${p.site} has no room for ${p.machine}: ${p.cores} of ${p.quotaCores} vCPU are used.`,
  used: (p: { cores: number; quotaCores: number }) => `${p.cores} of ${p.quotaCores} used`,
  'no-room': (p: { zone: string; machine: string }) =>
    `No host of ${p.zone} has room for ${p.machine}.`,
  'no-host-room': () => 'no host with room',

  'budget-holds': (p: { budget: string; healthy: number; desired: number }) =>
    `The disruption budget ${p.budget} needs ${p.desired} healthy pods and has ${p.healthy} currently`,

  // admission
  'quota-exceeded': (p: {
    kind: string
    namespace: string
    name: string
    quota: string
    over: readonly string[]
  }) =>
    `${p.kind} ${p.namespace}/${p.name} is forbidden: exceeded quota: ${p.quota}, ${p.over.join('; ')}.`,
  'limit-exceeded.forbidden-maximum-usage': (p: {
    kind: string
    namespace: string
    name: string
    resource: string
    limit: string
    container: string
    given: string
  }) =>
    `${p.kind} ${p.namespace}/${p.name} is forbidden: maximum ${p.resource} usage per container is ${p.limit}, but container ${p.container} has ${p.given}.`,
  'limit-exceeded.forbidden-minimum-usage': (p: {
    kind: string
    namespace: string
    name: string
    resource: string
    least: string
    container: string
    given: string
  }) =>
    `${p.kind} ${p.namespace}/${p.name} is forbidden: minimum ${p.resource} usage per container is ${p.least}, but container ${p.container} has ${p.given}.`,
  'pod-security': (p: {
    kind: string
    namespace: string
    name: string
    level: string
    broken: readonly string[]
  }) =>
    `${p.kind} ${p.namespace}/${p.name} violates PodSecurity "${p.level}": ${p.broken.join(', ')}.`,
  'class-forbidden': (p: {
    kind: string
    namespace: string
    name: string
    may: string
    storageClass: string
  }) =>
    `${p.kind} ${p.namespace}/${p.name} is forbidden: namespace ${p.namespace} may use storage classes ${p.may}, not ${p.storageClass}.`,
  'namespace-missing': (p: { namespace: string; kind: string; name: string }) =>
    `namespaces "${p.namespace}" not found: ${p.kind} ${p.name} has nowhere to be.`,

  // objects
  'field-conflict': (p: { kind: string; name: string; conflict: string; owner: string }) =>
    `${p.kind} ${p.name}: ${fieldText(p.conflict)} was written by ${p.owner} meanwhile.`,
  belongs: (p: { conflict: string; owner: string }) =>
    `${fieldText(p.conflict)} belongs to ${p.owner}`,

  'policy-denies': (p: { policy: string; binding: string; message: string }) =>
    `ValidatingAdmissionPolicy '${p.policy}' with binding '${p.binding}' denied request: ${p.message}`,

  // rollout
  'ready-no-progress': (p: { ready: number; replicas: number; deadlineSeconds: number }) =>
    `${p.ready} of ${p.replicas} ready; no progress within ${p.deadlineSeconds} s`,
  'image-not-pulled': (p: { workload: string; message: string }) =>
    `${p.workload} does not roll out: ${p.message}.`,
  'pods-pending.does-not-roll': (p: { workload: string; pod: string }) =>
    `${p.workload} does not roll out: ${p.pod} has no place.`,
  'rollout-stalled': (p: { workload: string }) => `${p.workload} does not roll out.`,
  'workload-gone.there-no-any': (p: { kind: string; name: string }) =>
    `There is no ${p.kind} ${p.name} any more.`,
  'workload-gone.there-no': (p: { kind: string; name: string }) =>
    `There is no ${p.kind} ${p.name}.`,

  // api
  'state-store-started': () => 'state store started, one member',
  'api-answers': (p: { endpoint: string }) => `API answers at ${p.endpoint}`,
  'api-stopped-state': () => 'API stopped, its state removed',
  'api-did-not': () => 'its API did not exist any more',
  'pods-ended': (p: { count: number }) => `${countText(p.count, 'pod')} ended`,
  'api-closed': () => 'API closed',

  // add-ons
  'add-ons-applied': (p: { freshCount: number }) => `${p.freshCount} add-ons applied`,
  'platform-pods-run': (p: { mineCount: number }) => `${p.mineCount} platform pods run`,
  'join-tokens-revoked': () => 'join tokens revoked',
  'kubernetes-default-svc': (p: { apiAddress: string; dnsAddress: string }) =>
    `kubernetes.default.svc → ${p.apiAddress}, asked of ${p.dnsAddress}`,
  'pod-placed': (p: { node: string }) => `pod placed on ${p.node}`,

  // nodes
  'registered-already': (p: { name: string }) => `${p.name} is registered already`,
  'agent-registered-from': (p: { address: string }) => `agent registered from ${p.address}`,
  'state-store-step': () => 'state store in step with its peers',
  'pod-network-started': () => 'pod network started',
  ready: () => 'ready',
  'nothing-remove': () => 'nothing to remove',
  removed: (p: { node: string }) => `${p.node} removed`,

  // keeping
  'nothing-drain': () => 'nothing to drain',
  'takes-no-new': (p: { node: string }) => `${p.node} takes no new pods`,
  'empty-but-daemons': () => 'empty but for its daemons',
  set: () => 'set',
  'set-pods-do': (p: { goneCount: number }) =>
    `set; ${countText(p.goneCount, 'pod that does', 'pods that do')} not tolerate it ended`,
  before: () => 'as before',
  'takes-pods-again': (p: { node: string }) => `${p.node} takes pods again`,
  'no-such-node': () => 'no such node',
  'storage-class-claims': (p: { offered: string }) =>
    `${p.offered} is the storage class of claims without one`,
  'state-store-members': (p: { restCount: number }) =>
    `state store has ${countText(p.restCount, 'member')}`,

  // backups
  'new-key-request': (p: { cluster: string }) =>
    `new key and request for ${p.cluster}, signed by its authority`,
  'control-plane-restarted': (p: { certificatesUntil: string }) =>
    `control plane restarted one by one, valid until ${p.certificatesUntil}`,
  'objects-mb-revision': (p: { objects: number; bytes: string; nextName: number }) =>
    `${countText(p.objects, 'object')}, ${p.bytes} MB, at revision ${p.nextName}`,
  'objects-read-into': (p: { objects: number }) =>
    `${countText(p.objects, 'object')} read into an empty state store beside`,
  'answers-nodes-workloads': (p: { nodesCount: number; workloadsCount: number }) =>
    `answers: ${countText(p.nodesCount, 'node')}, ${countText(p.workloadsCount, 'workload')}; put away again`,
  'api-held-agents': (p: { cluster: string }) => `API of ${p.cluster} held, agents wait`,
  'objects-restored-api': (p: { objects: number }) =>
    `${countText(p.objects, 'object')} restored, API answers`,

  // rest
  'rests-already': () => 'rests already',
  'pods-ended-objects': (p: { count: number; workloadsCount: number }) =>
    `${countText(p.count, 'pod')} ended, ${countText(p.workloadsCount, 'object')} stay`,
  'machines-given-back': (p: { machinesCount: number }) =>
    `${countText(p.machinesCount, 'machine')} given back; disks and addresses are kept`,
  'runs-already': () => 'runs already',
  'machines-taken-again': (p: { takenCount: number }) =>
    `${countText(p.takenCount, 'machine')} taken again`,
  'api-answers-nodes': (p: { nodesCount: number }) =>
    `API answers, ${countText(p.nodesCount, 'node')} ready`,
  'pods-run': (p: { runningCount: number }) => `${countText(p.runningCount, 'pod')} run`,

  // objects
  applied: (p: { wantedCount: number }) =>
    `${p.wantedCount} ${p.wantedCount === 1 ? 'object' : 'objects'} applied`,
  'gone-count': (p: { goneCount: number }) =>
    `${p.goneCount} ${p.goneCount === 1 ? 'object' : 'objects'} removed`,
  written: (p: { count: number }) => `${p.count} ${p.count === 1 ? 'object' : 'objects'} written`,
  'entries-count': (p: { entriesCount: number }) =>
    `${p.entriesCount} ${p.entriesCount === 1 ? 'object is' : 'objects are'} as before`,

  // rollout
  scheduled: () => 'scheduled',
  'pods-ready': (p: { podsCount: number }) => `${countText(p.podsCount, 'pod')} ready`,
  'new-revision-same': () => 'a new revision of the same template',
  'trial-ran': (p: { node: string; ip: string }) => `ran on ${p.node} as ${p.ip}, exit 0`,

  // images
  redirected: (p: { nodes: number; redirects: readonly string[] }) =>
    p.redirects.length === 0
      ? `${countText(p.nodes, 'node')} look for images where their names say`
      : `${countText(p.nodes, 'node')} look for images elsewhere: ${p.redirects.join(', ')}`,
  'credential-shown': (p: {
    nodes: number
    registry: string
    namespace: string
    account: string
  }) =>
    `${countText(p.nodes, 'node shows', 'nodes show')} ${p.account} to ${p.registry} when they pull for ${p.namespace}`,
  'credential-not-shown': (p: { nodes: number; registry: string; namespace: string }) =>
    `${countText(p.nodes, 'node shows', 'nodes show')} nothing to ${p.registry} when they pull for ${p.namespace}`,
  'node-pulls-not': (p: { node: string; image: string; why: string }) =>
    `${p.node} cannot pull ${p.image}: ${p.why}.`,
  'pull-refused': (p: { why: string }) => p.why,
  'image-differs': (p: { image: string; wanted: string; pulled: string }) =>
    `${p.image} is another than was carried in: ${p.pulled.slice(0, 19)} instead of ${p.wanted.slice(0, 19)}.`,
  'images-pulled': (p: { nodes: number; images: number }) =>
    `${countText(p.images, 'image')} pulled on ${countText(p.nodes, 'node')}`,

  // api
  'control-plane-reached': () => 'control plane reached',
  'authority-certificates-place': (p: { machine: string }) =>
    `authority and certificates in place on ${p.machine}`,
})
