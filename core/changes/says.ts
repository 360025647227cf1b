/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'
import { listText } from '../units'

export const said = sentences({
  'cluster.none': () => 'No cluster is chosen.',
  'namespace.missing': (p: { cluster: string; namespace: string }) =>
    p.namespace === '' ? 'Say which namespace.' : `${p.cluster} has no namespace ${p.namespace}.`,
  'namespaces.are': (p: { namespaces: readonly string[] }) =>
    `namespaces: ${listText(p.namespaces, 12)}`,
  'cluster.missing': (p: { cluster: string }) => `There is no cluster ${p.cluster}.`,
  'cluster.rests': (p: { cluster: string }) => `${p.cluster} is stopped: start it first.`,
  'rests-since': (p: { since: string }) =>
    `stopped since ${p.since.slice(0, 16).replace('T', ' ')} UTC`,
  'api-silent': (p: { cluster: string }) => `The API of ${p.cluster} does not answer.`,
  'not-heard': (p: { cluster: string }) =>
    `Nothing is heard of ${p.cluster}: what is asked of it would not arrive.`,
  'no-answer': () => 'no answer',
  'certificates-ended': (p: { cluster: string; certificatesUntil: string }) =>
    `The certificates of ${p.cluster} ended on ${p.certificatesUntil}: its API takes no orders.`,
  'certificates-until': (p: { certificatesUntil: string }) =>
    `certificates until ${p.certificatesUntil}`,
  unseen: (p: { cluster: string }) =>
    `What ${p.cluster} lists is seen once it runs; only then is the rest of this checked.`,
  clusters: (p: { clusters: readonly string[] }) => `clusters: ${listText(p.clusters, 10)}`,
})
