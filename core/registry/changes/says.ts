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
  'repositories.misnamed': (p: { repositories: string }) =>
    p.repositories === ''
      ? 'Say which repository.'
      : `${p.repositories} names no repository: lower case, parts with / between, no tag.`,
  'repositories.empty': (p: { registry: string; repositories: string }) =>
    `${p.registry} holds nothing below ${p.repositories} yet.`,
  'closed.are': (p: { closed: readonly string[] }) =>
    `closed: ${listText(p.closed, 6) || 'nothing'}`,
  'closed.already': (p: { repositories: string }) => `${p.repositories} is closed already.`,
  'closed.not': (p: { repositories: string; above: string | null }) =>
    p.above === null
      ? `${p.repositories} is open to all already.`
      : `${p.repositories} is closed with ${p.above}: open that.`,
  'access.denies': (p: {
    cluster: string
    namespace: string
    pods: number
    workloads: readonly string[]
  }) =>
    `${countText(p.pods, 'pod')} of ${p.namespace} on ${p.cluster} could not be made anew: ${listText(p.workloads, 4)}. They go on until then.`,
  'access.shown': (p: { registry: string; namespace: string }) =>
    `nodes show no credential to ${p.registry} that opens it when they pull for ${p.namespace}`,
  'credential.not-needed': (p: { open: readonly string[] }) =>
    `${listText(p.open, 3)}: open to all, with a credential or without.`,
  'credential.unproven': (p: { repositories: readonly string[] }) =>
    `No image is below ${listText(p.repositories, 3)} yet: no pull can prove it.`,
  'credential.rotates': (p: { name: string }) =>
    `${p.name} is valid now; it ends once a pull has shown that the next one works.`,
  'credential.adds': (p: { name: string; rounds: number }) =>
    `${p.name} has ${countText(p.rounds, 'credential')} that stays valid until its end: end it when the new one is in use.`,
  'round.is': (p: { round: number; until: string }) =>
    `round ${p.round} until ${p.until.slice(0, 10)}`,
  'account.unknown': (p: { account: string; registry: string }) =>
    p.account === '' ? 'Say which credential.' : `${p.registry} has no credential ${p.account}.`,
  'accounts.are': (p: { accounts: readonly string[] }) =>
    `credentials: ${listText(p.accounts, 6) || 'none'}`,
  'rule.same': (p: { namespace: string }) => `${p.namespace} has this rule already.`,
  'rule.is': (p: { namespace: string; rule: string }) => `${p.namespace} takes ${p.rule}`,
  'rule.stops': (p: { namespace: string; pods: number; workloads: readonly string[] }) =>
    `${countText(p.pods, 'pod')} of ${p.namespace} could not be made anew: ${listText(p.workloads, 4)}. They go on until then.`,
  'image.breaks': (p: { workload: string; image: string; why: string }) =>
    `${p.workload} runs ${p.image}: ${p.why}`,
})
