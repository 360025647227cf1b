/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'
import { countText, listText } from '../units'
import type { CauseCode } from './causes'
import { fleetMeanings } from './fleet/says'

/** What each cause means, of what it is about. */
const meanings = {
  'runtime-down': 'the container runtime does not run',
  'agent-stopped': 'the node agent was stopped',
  'machine-gone': 'the machine is gone',
  'disk-full': 'its disk is full',
  'memory-short': 'it is short of memory',
  'pids-short': 'it has no process numbers left',
  'clock-off': 'its clock is wrong',
  'certificate-expired': 'a certificate has expired',
  'api-unreachable': 'the API is not reached',
  'webhook-blocks-system-pods': 'a webhook keeps system pods from being made',
  'network-plugin-broken': 'the pod network does not start',
  cordoned: 'it was closed for new pods',
  'no-room': 'no node has room for it',
  taint: 'nodes have a taint that it does not tolerate',
  selector: 'no node matches its selector',
  affinity: 'its affinity rules leave no node',
  spread: 'its spread rules leave no node',
  'host-port': 'its host port is taken everywhere',
  'volume-elsewhere': 'its volume is where it cannot go',
  'claim-unbound': 'its claim is not bound',
  gated: 'it is held by a scheduling gate',
  quota: 'a quota does not let it be made',
  'limit-range': 'a limit range refuses it',
  'no-nodes': 'there are no nodes',
  'pod-security': 'the pod security level of its namespace refuses it',
  'webhook-refuses': 'a webhook refuses it',
  'webhook-unreachable': 'a webhook does not answer',
  'sandbox-network': 'its network could not be set up',
  'image-missing': 'its image is not there',
  'image-denied': 'its image is not given to it',
  'image-name-invalid': 'the name of its image is none',
  'pull-limit': 'the registry gives no more for now',
  'registry-unreachable': 'its registry is not reached',
  'architecture-wrong': 'its image is for another architecture',
  'config-missing': 'a ConfigMap, Secret or key that it uses is not there',
  'account-missing': 'its service account is not there',
  'user-refused': 'it would run as root and must not',
  crash: 'its process ends by itself',
  'command-missing': 'its command is not in its image',
  'not-executable': 'its command cannot be executed',
  'hook-failed': 'a lifecycle hook fails',
  'memory-killed': 'it uses more memory than its limit',
  'startup-probe': 'its startup probe fails',
  'liveness-probe': 'its liveness probe fails',
  'readiness-probe': 'its readiness probe fails',
  'init-failing': 'an init container fails',
  'mount-failed': 'a volume cannot be mounted',
  'attached-elsewhere': 'its volume is attached to another node',
  'evicted-pressure': 'it was evicted because its node was short',
  'own-storage-limit': 'it used more local storage than its limit',
  'node-lost': 'its node is not heard',
  'finalizer-stuck': 'a finalizer keeps it from going',
  'no-match': 'its selector matches no pod',
  'endpoints-not-ready': 'none of its pods is ready',
  'port-wrong': 'its target port is none that its pods listen on',
  'policy-blocks': 'a network policy blocks it',
  'address-pending': 'it has been given no address',
  'name-not-resolved': 'a name is not resolved',
  'rollout-stuck': 'its rollout does not go on',
  'quorum-lost': 'the state store has lost its quorum',
  'member-down': 'a member of the state store is down',
  'store-slow': 'the state store is slow',
  'store-full': 'the state store is full',
  'api-overloaded': 'the API is overloaded',
} as const satisfies Record<CauseCode, string>

/** Kinds as they are said. */
const kindWords: Readonly<Record<string, string>> = {
  validatingwebhookconfiguration: 'webhook',
  mutatingwebhookconfiguration: 'webhook',
  daemonset: 'daemon set',
  replicaset: 'replica set',
  statefulset: 'stateful set',
  cronjob: 'cron job',
  persistentvolumeclaim: 'claim',
  resourcequota: 'quota',
  networkpolicy: 'network policy',
}

/** What a cause means, of what it is about. */
export const meaningOf = (cause: string): string =>
  ({ ...meanings, ...fleetMeanings })[cause as CauseCode] ?? ''

/** What a reference names, as it is said: a node by its name alone. */
function nameText(ref: string): string {
  const [kind = '', ...rest] = ref.split('/')
  const name = rest.at(-1)
  if (name === undefined) return 'the control plane'
  return kind === 'node' ? name : `${kindWords[kind] ?? kind} ${name}`
}

export const said = sentences({
  'cause.is': (p: { cause: CauseCode; about: string }) =>
    `${nameText(p.about)}: ${meanings[p.cause]}`,
  'pod.held': () => 'the pod is held up by it',
  'pods.refused': () => 'its pods are refused',
  'node.lost': () => 'its node is not heard',
  'fact.over': (p: { text: string }) => `That is over: ${p.text}`,
  'workload.short': (p: { unwell: number; pods: number }) =>
    p.pods === 0 ? 'it has no pods' : `${p.unwell} of ${countText(p.pods, 'pod')} not ready`,
  'service.unready': (p: { pods: number }) => `none of its ${countText(p.pods, 'pod')} is ready`,
  'symptom.cluster': () => 'the API does not answer, or not well',
  'symptom.pod': (p: { ref: string; phase: string }) => `${nameText(p.ref)} is ${p.phase}`,
  'symptom.node': (p: { ref: string }) => `${nameText(p.ref)} is not ready`,
  'symptom.node-strained': (p: { ref: string }) => `${nameText(p.ref)} takes no pods as it should`,
  'symptom.lacking': (p: { ref: string }) => `${nameText(p.ref)} lacks pods that serve`,
  'probe.events': (p: { about: string }) => `look at the events of ${p.about}`,
  'probe.pod-log': (p: { about: string }) => `read the log of ${p.about}`,
  'probe.node-log': (p: { about: string }) => `read the node agent’s log of ${p.about}`,
  'probe.reach': (p: { about: string }) => `ask from the node of ${p.about} for its registry`,
  'probe.store': (p: { about: string }) => `ask the members of the state store of ${p.about}`,
  'remedy.open': (p: { node: string }) => `Open ${p.node} again: it takes pods then`,
  'remedy.selector': (p: { label: string; pods: number }) =>
    `Select ${p.label}: that matches ${countText(p.pods, 'pod')}`,
  'remedy.port': (p: { port: string }) => `Lead it to port ${p.port}, which its pods listen on`,
  'remedy.placed': (p: { says: string }) => `${p.says}; placed again, it finds a node then`,
  'remedy.quota': (p: { allows: readonly string[] }) =>
    `Allow ${listText(p.allows)} in it: what was asked for fits then`,
  'remedy.policy': (p: { name: string; side: 'ingress' | 'egress' }) =>
    p.side === 'ingress'
      ? `Let ${p.name} take in what asks there: walked again, it passes`
      : `Let ${p.name} send out what it keeps back: walked again, it passes`,
  'case.restart': (p: { node: string }) => `Restart the machine of ${p.node}`,
  'case.replace': (p: { node: string }) => `Give ${p.node} another machine`,
  'case.restart-because': () => 'runtime, agent and clock begin anew with it',
  'case.replace-because': () => 'disk and certificate go with the old machine',
  'case.leave-out': (p: { namespace: string; name: string }) =>
    `Leave ${p.namespace} out of ${p.name}`,
  'case.leave-out-because': (p: { namespace: string }) =>
    `pods of ${p.namespace} are made without asking it; all others are still checked`,
  'case.fail-open': (p: { name: string }) => `Let ${p.name} fail open`,
  'case.fail-open-because': () =>
    'what it cannot be asked about is made; nothing is checked meanwhile',
  'case.more-memory': (p: { name: string; memory: string }) =>
    `Let ${p.name} use ${p.memory} of memory`,
  'case.more-memory-because': () => 'half as much again as it was killed for; watch what it uses',
  'case.looked-again': () => 'computed again with it, the cause is gone',
  'case.left': (p: { says: string }) =>
    `computed again with it, the cause is gone, and this is left: ${p.says}`,
  'service.empty': () => 'it has no pods behind it',
})
