/** The sentences of this area, by the code of what they tell. */
import type { AccessRefusal } from '../contract'
import { sentences } from '../contract/said'
import { numberText, countText, listText } from '../units'
import { fieldText } from '../objects/field-paths'

export const said = sentences({
  // verdicts
  'verdict.same': () => 'as it is already',
  'verdict.made': (p: { apiVersion: string; release: string }) =>
    `taken as ${p.apiVersion} by ${p.release}`,
  'verdict.changed': (p: { fields: number }) => `${countText(p.fields, 'field')} would change`,
  'verdict.images': (p: { images: number; hosts: readonly string[] }) =>
    p.images === 1
      ? `its image is in ${listText(p.hosts)}`
      : `${p.images} of ${p.images} images are in ${listText(p.hosts)}`,
  'verdict.images-unseen': (p: { images: readonly string[] }) =>
    `${listText(p.images, 2)}: in a registry that is not looked into`,
  'verdict.claim': () => 'the store has room for it',
  'verdict.stays': () => 'its pods stay where they are',
  'verdict.daemon': () => 'every node takes its pod',
  'verdict.placed': (p: { pods: number; staying: number }) =>
    p.staying === 0
      ? `${p.pods === 1 ? 'its pod finds' : `${p.pods} of ${p.pods} pods find`} a place`
      : `${countText(p.pods, 'more pod finds', 'more pods find')} a place`,
  'verdict.nothing-against': () => 'nothing is against it',
  'verdict.within': (p: { parts: readonly string[] }) => `passes ${listText(p.parts)}`,
  'verdict.headless': () => 'needs none',
  'verdict.keeps-address': () => 'keeps the address it has',
  'verdict.virtual': (p: { address: string }) => `gets ${p.address}`,
  'verdict.address': (p: { services: string }) => `gets one of ${p.services}`,
  'verdict.none': () => '',
  'verdict.open': () => 'looked at once nothing stops it',
  'verdict.calls': (p: { calls: number }) =>
    `${countText(p.calls, 'call arrives', 'calls arrive')} as before`,
  'verdict.calls-lost': (p: { lost: readonly string[]; hop: string; by: string }) =>
    `no longer arrives: ${listText(p.lost, 2)}, ended at ${p.hop}${p.by === '' ? '' : ` by ${p.by}`}`,
  'verdict.calls-won': (p: { won: readonly string[] }) => `would arrive: ${listText(p.won, 2)}`,

  // webhooks
  'webhook-silent': (p: { objectText: string; webhook: string; service: string }) =>
    `${p.objectText} would be refused: the API must ask ${p.webhook}, and nothing answers behind ${p.service}.`,
  'webhook-silent.pods': (p: { objectText: string; webhook: string; service: string }) =>
    `No pod of ${p.objectText} would be made: the API must ask ${p.webhook}, and nothing answers behind ${p.service}.`,
  'webhook-closed': (p: { webhook: string; service: string }) =>
    `${p.webhook} fails closed; no pod behind ${p.service} is ready`,

  // parse
  'text-too-long': (p: { textCount: number; mostBytes: number }) =>
    `The text is ${numberText(p.textCount, 1)} MB; up to ${numberText(p.mostBytes, 1)} MB are read at a time. Split it into several changes.`,
  'text-too-deep': () => 'The text nests lists and maps too deep to be read. Flatten it.',
  'too-many-pieces': (p: { pieces: number; mostPieces: number }) =>
    `The text has ${numberText(p.pieces)} lines and entries; at most ${numberText(p.mostPieces)} are read at once. Apply it in parts.`,
  'too-many-documents': (p: { parsedCount: number; mostDocuments: number }) =>
    `The text has ${countText(p.parsedCount, 'document')}; up to ${numberText(p.mostDocuments)} are read at a time. Split it into several changes.`,
  'tab-stands-where': () => 'A tab stands where spaces are needed. YAML is indented with spaces.',
  'written-second-time': (p: { kind: string; name: string; first: number }) =>
    `${p.kind} ${p.name} is written a second time; the first is on line ${p.first}.`,

  // placing
  'no-place': (p: {
    objectText: string
    pods: number
    fits: number
    waiting: number
    why: string
  }) =>
    `${p.objectText}: of ${countText(p.pods, 'pod')} ${p.fits === 0 ? 'none finds' : `${p.fits} ${p.fits === 1 ? 'finds' : 'find'}`} a place; ${p.fits === 0 ? 'all' : p.waiting} would wait. ${p.why}`,
  'no-place-at-most': (p: {
    objectText: string
    pods: number
    fits: number
    waiting: number
    why: string
  }) =>
    `${p.objectText} may grow to ${countText(p.pods, 'pod')}; ${p.fits} would find a place, ${p.waiting} would wait. ${p.why}`,
  'grows-for-it': (p: { objectText: string; waiting: number; pool: string; nodes: number }) =>
    `${p.objectText}: ${countText(p.waiting, 'pod waits', 'pods wait')} until ${p.pool} has grown by ${countText(p.nodes, 'node')}, which it does by itself.`,
  'daemon-no-place': (p: { objectText: string; short: readonly string[] }) =>
    `${p.objectText}: ${listText(p.short, 4)} ${p.short.length === 1 ? 'has' : 'have'} no room left for its pod.`,
  'placed-on-copy': (p: { cluster: string; nodes: number }) =>
    `placed on a copy of ${p.cluster} with its ${countText(p.nodes, 'node')}`,
  'image-not-there': (p: { objectText: string; image: string; tags: readonly string[] | null }) =>
    `${p.objectText}: the registry does not have ${p.image}.${p.tags === null ? ' It has no such repository.' : ` It has ${listText(p.tags, 6) || 'no tag of it'}.`}`,
  'registry-asked': (p: { host: string; repositories: number }) =>
    `${p.host}, ${countText(p.repositories, 'repository', 'repositories')}`,
  'claim-too-large': (p: { objectText: string; wantedGb: number; freeGb: number; site: string }) =>
    `${p.objectText} asks for ${numberText(p.wantedGb)} GB; no store of ${p.site} has more than ${numberText(p.freeGb)} GB left. It would never be bound.`,
  'store-counted': (p: { zones: number }) => `the stores of ${countText(p.zones, 'zone')}`,
  'quota-counted': (p: { quota: string; counted: string; hard: string }) =>
    `quota ${p.quota}: ${p.counted} ${p.hard}`,
  'quota-needs': (p: { objectText: string; counted: string; quota: string }) =>
    `${p.objectText}: quota ${p.quota} counts ${p.counted}, and a container does not say what it takes of it. The API refuses such a pod.`,
  'quota-full': (p: {
    objectText: string
    pods: number
    fits: number
    counted: string
    hard: string
    quota: string
  }) =>
    `${p.objectText}: of ${countText(p.pods, 'pod')} the quota ${p.quota} admits ${p.fits}: ${p.counted} is limited to ${p.hard}.`,

  // schema
  'field-missing': (p: { field: string }) => `${p.field} is missing.`,
  'field-unknown': (p: { field: string; meant: string | null }) =>
    `The API knows no field ${p.field} here and drops it.${p.meant === null ? '' : ` Likely meant: ${p.meant}.`}`,
  'field-type': (p: { value: string; wanted: string }) =>
    `${p.value} is not what belongs here: the API takes ${p.wanted}.`,
  'not-served': (p: { kind: string; apiVersion: string; served: string }) =>
    `${p.kind} is not served as ${p.apiVersion}; it is ${p.served}.`,
  'version-removed': (p: {
    objectText: string
    line: number
    apiVersion: string
    release: string
    removedIn: string
    successor: string | null
  }) =>
    `${p.objectText} (line ${p.line}): ${p.apiVersion} is gone since ${p.removedIn}, and ${p.release} does not serve it.${p.successor === null ? ' Nothing has taken its place.' : ` Write it as ${p.successor}.`}`,
  'version-later': (p: {
    objectText: string
    line: number
    apiVersion: string
    release: string
    since: string
  }) =>
    `${p.objectText} (line ${p.line}): ${p.apiVersion} is served from ${p.since} on; this cluster runs ${p.release}.`,
  'cluster-release': (p: { release: string }) => `release ${p.release}`,
  immutable: (p: { objectText: string; path: string; live: string; wanted: string }) =>
    `${p.objectText}: ${fieldText(p.path)} cannot be changed once it is there. It is ${p.live}; this would make it ${p.wanted}.`,
  'claim-shrinks': (p: { objectText: string; live: string; wanted: string }) =>
    `${p.objectText} has ${p.live} and cannot shrink to ${p.wanted}: a volume only grows.`,
  'field-of-live': (p: { path: string }) => `${fieldText(p.path)} as it is now`,
  'node-port-taken': (p: { objectText: string; port: number; holder: string }) =>
    `${p.objectText} wants port ${p.port} of every node, which ${p.holder} has.`,
  'services-compared': (p: { services: number }) => `${countText(p.services, 'service')} compared`,
  'service-alone': (p: { objectText: string }) =>
    `${p.objectText} selects no pod, neither of this text nor of the cluster: nothing would answer behind it.`,
  'limit-range': (p: {
    objectText: string
    container: string
    resource: string
    what: 'request' | 'limit'
    value: string
    rule: 'min' | 'max'
    bound: string
    range: string
  }) =>
    `${p.objectText}: ${p.container} has a ${p.what} of ${p.value} for ${p.resource}; ${p.range} allows ${p.rule === 'max' ? 'at most' : 'no less than'} ${p.bound}.`,
  'limit-range-source': (p: { range: string }) => `LimitRange ${p.range}`,
  gated: (p: { objectText: string; gates: readonly string[] }) =>
    `${p.objectText}: its pods wait until ${listText(p.gates)} ${p.gates.length === 1 ? 'is' : 'are'} taken from their scheduling gates.`,

  // values
  'value-choice': (p: { value: string; taken: readonly string[] }) =>
    `“${p.value}” is none of ${listText(p.taken, 12)}.`,
  'value-limit': (p: { value: number; from: number; to: number | null }) =>
    p.to === null
      ? `${p.value} is too small: the API takes ${p.from} or more.`
      : `${p.value} is out of range: the API takes ${p.from} to ${p.to}.`,
  'port-name': (p: { name: string }) =>
    `“${p.name}” is no name of a port: up to 15 small letters, digits and -, with a letter among them.`,
  'part-only-one': (p: { what: string; fields: readonly string[]; there: readonly string[] }) =>
    p.there.length === 0
      ? `This ${p.what} has none of ${listText(p.fields)}; it needs one.`
      : `This ${p.what} has ${listText(p.there)}; it takes only one.`,
  'part-twice': (p: { what: string; name: string }) => `The ${p.what} ${p.name} stands twice.`,
  'part-cidr': (p: { range: string }) => `“${p.range}” is no range like 10.20.0.0/16.`,
  'part-address': (p: { address: string }) => `“${p.address}” is no address.`,
  'selector-values': (p: { operator: string }) => `${p.operator} needs values.`,
  'selector-no-values': (p: { operator: string }) => `${p.operator} takes no values.`,
  'selector-one-value': (p: { operator: string }) => `${p.operator} takes one value.`,
  'env-both': (p: { name: string }) => `${p.name} has a value and a source; it takes one of them.`,
  'probe-success': (p: { field: string }) =>
    `A ${p.field === 'livenessProbe' ? 'liveness' : 'startup'} probe is passed by one success: successThreshold is 1.`,
  'host-port-differs': (p: { hostPort: number; containerPort: number }) =>
    `On the node’s own network host port and container port are one: ${p.hostPort} is not ${p.containerPort}.`,
  'toleration-value': () => 'With operator Exists there is no value.',
  'toleration-key': () => 'Without a key the operator is Exists.',
  'toleration-seconds': () => 'tolerationSeconds goes with the effect NoExecute alone.',
  'strategy-recreate': () => 'Recreate takes no rollingUpdate.',
  'strategy-stands-still': () =>
    'maxSurge and maxUnavailable are both 0: no pod could ever be replaced.',
  'deadline-too-short': (p: { ready: number }) =>
    `It must be more than minReadySeconds, which is ${p.ready}.`,
  'peer-block-alone': () => 'An ipBlock stands alone, without selectors beside it.',
  'peer-empty': () => 'This peer selects nothing: it needs a selector or an ipBlock.',
  'block-except': (p: { except: string; cidr: string }) =>
    `${p.except} is not a part of ${p.cidr}.`,
  'end-port': () => 'endPort goes with a port that is a number no greater than it.',
  'ingress-path': (p: { path: string }) => `“${p.path}” does not begin with /.`,
  'node-port-type': () => 'Ports of nodes are for services of type NodePort or LoadBalancer.',
  'claim-modes': () => 'A claim says how it is accessed, ReadWriteOnce for one node.',
  'claim-size': () => 'A claim says how much storage it asks for.',
  'secret-needs': (p: { key: string; type: string }) =>
    `A secret of type ${p.type} has a ${p.key}.`,
  'data-key': (p: { key: string }) =>
    `“${p.key}” is no key: up to 253 letters, digits, -, _ and dots.`,

  // validate
  'quantity-text-or': () => 'A quantity is text or a number.',
  'container-needs-name': () => 'A container needs a name.',
  'no-container-name': (p: { name: string }) =>
    `“${p.name}” is no container name: small letters, digits and -.`,
  'second-container-called': (p: { name: string }) => `A second container is called ${p.name}.`,
  'image-denied': (p: {
    objectText: string
    image: string
    namespace: string
    refusal: AccessRefusal
  }) =>
    `${p.objectText}: ${p.image} is given to nobody without a credential, and ${
      p.refusal === 'missing'
        ? `${p.namespace} has none`
        : `that of ${p.namespace} ${p.refusal === 'ended' ? 'has ended' : 'is for something else'}`
    }.`,
  'repository-closed': (p: { repository: string; registry: string }) =>
    `${p.repository} is closed at ${p.registry}`,
  'image-against-rule': (p: {
    objectText: string
    image: string
    namespace: string
    broken: 'signature' | 'finding'
    worst: string | null
  }) =>
    `${p.objectText}: ${p.namespace} does not take ${p.image}: ${p.broken === 'signature' ? 'it is not signed' : `it has a finding of ${p.worst ?? ''}`}.`,
  'namespace-takes': (p: { namespace: string; signed: boolean; below: string | null }) =>
    `${p.namespace} takes ${p.signed ? 'signed images alone' : 'images'}${p.below === null ? '' : `, none with a finding of ${p.below} or above`}`,
  'denied.ask-no-more': (p: { configuration: string; versions: readonly string[] }) =>
    `Have ${p.configuration} ask no more about ${listText(p.versions, 3)}`,
  'policy-refuses': (p: {
    objectText: string
    policy: string
    refuses: boolean
    message: string
  }) =>
    `${p.objectText} ${p.refuses ? 'is refused' : 'is warned of'} by policy ${p.policy}: ${p.message}`,
  'policy-matches': (p: { policy: string }) => `${p.policy} matches it by its version and kind`,
  'container-needs-image': () => 'A container needs an image.',
  'asks-more-limit': (p: { request: string; limit: string }) =>
    `It asks for ${p.request}, more than its limit of ${p.limit}.`,
  'pod-needs-least': () => 'A pod needs at least one container.',
  'there-no-volume': (p: { name: string }) => `There is no volume ${p.name} in this pod.`,
  capacity: (p: {
    objectText: string
    field: string
    asked: number
    cluster: string
    most: number
  }) =>
    `${p.objectText} asks for ${numberText(p.asked)} pods at once (${p.field}); ${p.cluster} can never hold more than ${numberText(p.most)}.`,
  'capacity.range': (p: { range: string; perNode: number; most: number }) =>
    `pod range ${p.range}, up to ${p.perNode} pods a node: ${numberText(p.most)} in all`,
  'replicas-whole-number': () => 'Replicas are a whole number from 0.',
  'needs-selector-finds': (p: { kind: string }) =>
    `A ${p.kind} needs a selector that finds its pods.`,
  'selector-does-not': () =>
    'The selector does not find the pods of its own template. Give the template the labels it asks for.',
  'no-selector': () => 'This is no selector.',
  'statefulset-names-service': () => 'A StatefulSet names the service that its pods answer under.',
  'neither-whole-number': (p: { value: string }) =>
    `“${p.value}” is neither a whole number nor a percentage like 25%.`,
  'maxreplicas-whole-number': () => 'maxReplicas is a whole number from 1.',
  'below-minreplicas': (p: { min: number }) => `It is below minReplicas (${p.min}).`,
  'autoscaler-names-what': () => 'An autoscaler names what it scales.',
  'needs-name-stands': () => 'It needs the name it stands for.',
  'service-needs-least': () => 'A service needs at least one port.',
  'several-ports-each': () => 'With several ports each has a name.',
  'no-time-zone': (p: { zone: string }) => `There is no time zone “${p.zone}”.`,
  'no-namespace-small': (p: { namespace: string }) =>
    `“${p.namespace}” is no namespace: small letters, digits and -.`,
  'served-not': (p: { kind: string; served: string; apiVersion: string }) =>
    `${p.kind} is served as ${p.served}, not ${p.apiVersion}.`,
  'budget-says-either': () => 'A budget says either minAvailable or maxUnavailable, not both.',
  'priority-whole-number': () => 'A priority is a whole number from -1000000000 to 1000000000.',

  // apply
  'line-column': (p: { line: number; column: number; problem: string }) =>
    `Line ${p.line}, column ${p.column}: ${p.problem}`,
  line: (p: { line: number }) => `line ${p.line}`,
  'text.empty': () => 'There is no object in it yet. Write or drop at least one.',
  overwrites: (p: {
    objectText: string
    path: string
    wanted: string
    owner: string
    current: string
  }) =>
    `${p.objectText}: ${fieldText(p.path)} becomes ${p.wanted}; what ${p.owner} wrote (${p.current}) is undone.`,
  written: (p: { owner: string }) => `written by ${p.owner}`,
  conflicts: (p: {
    objectText: string
    path: string
    current: string
    owner: string
    wanted: string
  }) =>
    `${p.objectText}: ${fieldText(p.path)} is ${p.current}, as ${p.owner} wrote it. This would make it ${p.wanted}.`,
  'field-owner': (p: { path: string; owner: string }) =>
    `${fieldText(p.path)} belongs to ${p.owner}`,
  'no-namespace': (p: {
    cluster: string
    namespace: string
    wantingCount: number
    meant: string
  }) =>
    `${p.cluster} has no namespace ${p.namespace}, which ${countText(p.wantingCount, 'object')} ${p.wantingCount === 1 ? 'is' : 'are'} for.${p.meant}`,
  namespaces: (p: { namespaces: readonly string[] }) => `namespaces: ${listText(p.namespaces, 12)}`,
  'names-does-not': (p: {
    objectText: string
    kind: string
    reference: string
    path: string
    cluster: string
    namespace: null | string
  }) =>
    `${p.objectText} names ${p.kind} ${p.reference} (${p.path}), which ${p.cluster} does not have${p.namespace === null ? '' : ` in ${p.namespace}`}.`,
  'reference-missing': (p: { kind: string; reference: string }) => `no ${p.kind} ${p.reference}`,
  'wants-nodes-pool': (p: {
    objectText: string
    pool: string
    cluster: string
    elsewhereCount: number
    elsewhere: string
  }) =>
    `${p.objectText} wants nodes of pool ${p.pool}, which ${p.cluster} does not have.${p.elsewhereCount === 1 ? ` This looks meant for ${p.elsewhere}.` : ''}`,
  pools: (p: { pools: readonly string[] }) => `pools: ${listText(p.pools)}`,
  'wants-nodes-no': (p: {
    objectText: string
    ports: readonly string[]
    holders: readonly string[]
  }) =>
    `${p.objectText} wants ${listText(p.ports)} of its nodes, which ${listText(p.holders, 3)} ${p.holders.length === 1 ? 'has' : 'have'}: no node holds both.`,
  'host-ports-compared': () => 'host ports compared',
  reached: (p: { key: string; address: string }) => `${p.key} would be reached at ${p.address}.`,
  'lowest-free-address': () => 'the lowest free address of the pool',
  'address-asked-free': () => 'the address asked for is free',
  'wait-virtual-address': (p: { key: string; values: string }) =>
    `${p.key} would wait for a virtual address: ${p.values}`,
  balancers: (p: { balancersCount: number }) => `${p.balancersCount} balancers`,
  'annotation-namespace': (p: { annotation: string; namespace: string }) =>
    `annotation ${p.annotation} of namespace ${p.namespace}`,
  'wants-storage-class': (p: {
    objectText: string
    named: string
    namespace: string
    classes: readonly string[]
  }) =>
    `${p.objectText} wants storage of class ${p.named}; namespace ${p.namespace} may use ${listText(p.classes) || 'none'}.`,
  'namespace-may-use': (p: {
    namespace: string
    sizes: readonly string[]
    cluster: string
    objectText: string
  }) =>
    `Namespace ${p.namespace} may use machines of ${listText(p.sizes) || 'no size'}, and ${p.cluster} has none of them: ${p.objectText} would find no place.`,
  'kept-machines-what': (p: { objectText: string; sizes: readonly string[]; namespace: string }) =>
    `${p.objectText} is kept to machines of ${listText(p.sizes)}, which is what namespace ${p.namespace} may use.`,
  'field-wrong': (p: { objectText: string; line: number; path: string; wrong: string }) =>
    `${p.objectText} (line ${p.line}), ${p.path}: ${p.wrong}`,
  'document-line': (p: { path: string; line: number }) =>
    `${p.path} of the document on line ${p.line}`,
  'no-kind-gyrarch': (p: { kind: string; apiVersion: string }) =>
    `${p.kind} (${p.apiVersion}) is no kind that Gyrarch knows: it is written as it is, unchecked.`,
  nothing: (p: { cluster: string }) => `${p.cluster} has all of it already: nothing would change.`,
  'objects-compared-field': (p: { changesCount: number }) =>
    `${countText(p.changesCount, 'object')} compared field by field`,

  // remove
  'object-missing': (p: { cluster: string; objectText: string }) =>
    `${p.cluster} has no ${p.objectText}.`,
  'objects-listed': (p: { size: number }) => `${countText(p.size, 'object')} listed`,
  'holds-what-cluster': (p: { name: string }) =>
    `${p.name} holds what the cluster itself runs. It stays.`,
  'removed-along': (p: { objectText: string; alongCount: number; pods: number }) =>
    `With ${p.objectText} ${p.alongCount === 1 ? 'goes' : 'go'} ${countText(p.alongCount, 'object')}, ${countText(p.pods, 'pod')} among them.`,

  // workloads
  'workload.known': (p: { cluster: string; kind: string; namespace: string; name: string }) =>
    `${p.cluster} has no ${p.kind} ${p.namespace}/${p.name}.`,
  'not-listed': () => 'not listed',
  'revision.known.only-ever-one': (p: { name: string }) =>
    `${p.name} has only ever had one revision: there is none to go back to.`,
  'revision.known.no-revision': (p: { name: string; revision: number }) =>
    `${p.name} has no revision ${p.revision}.`,
  revisions: (p: { all: readonly string[] }) => `revisions: ${p.all.join(', ')}`,
  'objects-along': (p: { objects: readonly string[] }) => listText(p.objects, 5),
  'document.no-object': () => 'A document is an object with apiVersion, kind and metadata.',
  'document.missing': (p: { field: string }) => `${p.field} is missing.`,
  'document.namespace': () => 'metadata.namespace is text.',
})
