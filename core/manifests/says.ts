/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'
import { numberText, countText, listText } from '../units'
import { fieldText } from '../objects/fields'

export const said = sentences({
  // parse
  'text-too-long': (p: { textCount: number; mostBytes: number }) =>
    `The text is ${numberText(p.textCount, 1)} MB; up to ${numberText(p.mostBytes, 1)} MB are read at a time. Split it into several changes.`,
  'too-many-documents': (p: { parsedCount: number; mostDocuments: number }) =>
    `The text has ${countText(p.parsedCount, 'document')}; up to ${numberText(p.mostDocuments)} are read at a time. Split it into several changes.`,
  'tab-stands-where': () => 'A tab stands where spaces are needed. YAML is indented with spaces.',
  'written-second-time': (p: { kind: string; name: string; first: number }) =>
    `${p.kind} ${p.name} is written a second time; the first is on line ${p.first}.`,

  // validate
  'quantity-text-or': () => 'A quantity is text or a number.',
  'container-needs-name': () => 'A container needs a name.',
  'no-container-name': (p: { name: string }) =>
    `“${p.name}” is no container name: small letters, digits and -.`,
  'second-container-called': (p: { name: string }) => `A second container is called ${p.name}.`,
  'container-needs-image': () => 'A container needs an image.',
  'asks-more-limit': (p: { request: string; limit: string }) =>
    `It asks for ${p.request}, more than its limit of ${p.limit}.`,
  'pod-needs-least': () => 'A pod needs at least one container.',
  'there-no-volume': (p: { name: string }) => `There is no volume ${p.name} in this pod.`,
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
  'no-schedule-five': (p: { schedule: string }) =>
    `“${p.schedule}” is no schedule: five fields, minute hour day month weekday.`,
  'no-namespace-small': (p: { namespace: string }) =>
    `“${p.namespace}” is no namespace: small letters, digits and -.`,
  'served-not': (p: { kind: string; served: string; apiVersion: string }) =>
    `${p.kind} is served as ${p.served}, not ${p.apiVersion}.`,
  'budget-says-either': () => 'A budget says either minAvailable or maxUnavailable, not both.',
  'priority-whole-number': () => 'A priority is a whole number from -1000000000 to 1000000000.',

  // apply
  'cluster.rests': (p: { cluster: string }) =>
    `${p.cluster} is stopped. Start it first: while it rests nothing can be written to it.`,
  'cluster.answers': (p: { cluster: string }) => `The API of ${p.cluster} does not answer.`,
  'no-answer': () => 'no answer',
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
