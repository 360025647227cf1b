/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../../contract/said'
import { countText, listText } from '../../units'

export const said = sentences({
  'registry.unknown': (p: { registry: string }) =>
    p.registry === '' ? 'Say which registry.' : `There is no registry ${p.registry}.`,
  'registry.inside': (p: { registry: string; host: string }) =>
    `${p.registry} holds what was carried there: sign and withdraw at ${p.host}, and carry it again.`,
  'registries.are': (p: { hosts: readonly string[] }) => `registries: ${listText(p.hosts, 6)}`,
  'image.unknown': (p: { image: string; registry: string }) =>
    p.image === '' ? 'Say which image.' : `${p.registry} holds no image ${p.image}.`,
  'images.like': (p: { images: readonly string[] }) =>
    `held: ${listText(p.images, 6) || 'nothing like it'}`,
  'image.signed': (p: { image: string; by: string }) => `${p.image} is signed by ${p.by} already.`,
  'image.findings': (p: { image: string; count: number; worst: string }) =>
    `${p.image} has ${countText(p.count, 'finding')}, up to ${p.worst}: a signature says that it may run.`,
  'finding.is': (p: { id: string; severity: string }) => `${p.id}: ${p.severity}`,
  'image.runs': (p: { image: string; pods: number; workloads: readonly string[] }) =>
    `${countText(p.pods, 'pod runs', 'pods run')} ${p.image}: ${listText(p.workloads, 4)}. They go on until they are made anew; then they cannot be pulled.`,
  'workload.runs': (p: { workload: string; pods: number }) =>
    `${p.workload}: ${countText(p.pods, 'pod')}`,
  'namespace.missing': (p: { cluster: string; namespace: string }) =>
    `${p.cluster} has no namespace ${p.namespace}.`,
  'namespaces.are': (p: { namespaces: readonly string[] }) =>
    `namespaces: ${listText(p.namespaces, 12)}`,
  'rule.same': (p: { namespace: string }) => `${p.namespace} has this rule already.`,
  'rule.is': (p: { namespace: string; rule: string }) => `${p.namespace} takes ${p.rule}`,
  'rule.stops': (p: { namespace: string; pods: number; workloads: readonly string[] }) =>
    `${countText(p.pods, 'pod')} of ${p.namespace} could not be made anew: ${listText(p.workloads, 4)}. They go on until then.`,
  'image.breaks': (p: { workload: string; image: string; why: string }) =>
    `${p.workload} runs ${p.image}: ${p.why}`,
})
