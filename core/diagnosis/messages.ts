/**
 * What texts of the node agent, the runtime, the API server and its controllers mean, in the wordings of several versions.
 * The first pattern that matches decides.
 */
import type { CauseCode } from './causes'

interface Pattern {
  readonly match: RegExp
  readonly cause: CauseCode
}

const first = (patterns: readonly Pattern[], message: string): CauseCode | null =>
  patterns.find(({ match }) => match.test(message))?.cause ?? null

const pulling: readonly Pattern[] = [
  {
    match:
      /no match(?:ing)? (?:for platform|manifest for)|no matching manifest|image operating system|does not match the (?:specified|detected) (?:platform|host)|exec format error/i,
    cause: 'architecture-wrong',
  },
  { match: /toomanyrequests|too many requests|rate ?limit|\b429\b/i, cause: 'pull-limit' },
  {
    match:
      /pull access denied|may require authorization|authorization failed|authentication required|unauthorized|insufficient_scope|no basic auth|access (?:is )?denied|denied:|\b40[13]\b|forbidden/i,
    cause: 'image-denied',
  },
  {
    match:
      /no such host|i\/o timeout|connection refused|connection reset|no route to host|network is unreachable|x509|tls:|tls handshake|certificate|server misbehaving|deadline exceeded|request canceled|EOF|\b50[0234]\b|bad gateway|service unavailable|lookup .* on /i,
    cause: 'registry-unreachable',
  },
  {
    match:
      /not found|manifest unknown|name unknown|manifest for .* not found|does not exist|is not present with pull policy of never/i,
    cause: 'image-missing',
  },
]

/** Why an image was not pulled. */
export const pullCause = (message: string): CauseCode | null => first(pulling, message)

const starting: readonly Pattern[] = [
  { match: /exec format error/i, cause: 'architecture-wrong' },
  {
    match:
      /exec: .*permission denied|permission denied: unknown|starting container process caused.*permission denied/i,
    cause: 'not-executable',
  },
  {
    match:
      /executable file not found|exec: .*no such file or directory|stat .*: no such file or directory|no such file or directory: unknown|no command specified/i,
    cause: 'command-missing',
  },
  {
    match: /runAsNonRoot|non-numeric user|will run as root|run as root/i,
    cause: 'user-refused',
  },
  {
    match:
      /configmaps? "[^"]+" not found|secrets? "[^"]+" not found|couldn'?t find key|non-existent (?:config|secret) key/i,
    cause: 'config-missing',
  },
]

/** Why a container was not made or started. */
export const startCause = (message: string): CauseCode | null => first(starting, message)

const mounting: readonly Pattern[] = [
  {
    match:
      /multi-attach|already (?:exclusively )?attached|volume is already used|attached to (?:a )?different (?:node|instance)|is in use by/i,
    cause: 'attached-elsewhere',
  },
  {
    match:
      /configmaps? "[^"]+" not found|secrets? "[^"]+" not found|non-existent (?:config|secret) key|object "[^"]+"\/"[^"]+" not registered/i,
    cause: 'config-missing',
  },
]

export const mountCause = (message: string): CauseCode => first(mounting, message) ?? 'mount-failed'

const refusals: readonly Pattern[] = [
  { match: /exceeded quota|failed quota|must specify/i, cause: 'quota' },
  {
    match: /violates podsecurity|pod security polic|security context constraint|podsecuritypolicy/i,
    cause: 'pod-security',
  },
  {
    match: /^(?!.*failing open).*(?:failed calling|failed to call) webhook/is,
    cause: 'webhook-unreachable',
  },
  { match: /admission webhook .* denied|denied the request/i, cause: 'webhook-refuses' },
  {
    match:
      /(?:maximum|minimum) \S+ usage per|limit to request ratio|limitrange|(?:maximum|minimum) .* per (?:container|pod)/i,
    cause: 'limit-range',
  },
  {
    match:
      /serviceaccount "[^"]+" not found|looking up service account|service account .* not found/i,
    cause: 'account-missing',
  },
]

/** Why the API did not take a pod. */
export const refusalCause = (message: string): CauseCode | null => first(refusals, message)

/** Names that a refusal gives to what refused. */
export const namesIn = {
  quota: (message: string): string | null =>
    /(?:exceeded|failed) quota: ([a-z0-9.-]+)/i.exec(message)?.[1] ?? null,
  webhook: (message: string): string | null => /webhook "([^"]+)"/i.exec(message)?.[1] ?? null,
} as const

export interface NodeSign extends Pattern {
  readonly says: string
}

const silentAgent: readonly Pattern[] = [
  { match: /is before |not yet valid: current time .* is before/i, cause: 'clock-off' },
  {
    match: /certificate has expired|is after |certificate .*expired|client certificate expired/i,
    cause: 'certificate-expired',
  },
  {
    match:
      /(?:dial tcp|connecting to|contacting|post|get|patch|put)\b.*(?:i\/o timeout|connection refused|no route to host|network is unreachable|context deadline exceeded)|failed to (?:contact|reach|connect to) (?:the )?api ?server|error updating node status.*(?:timeout|refused|no route)/i,
    cause: 'api-unreachable',
  },
  {
    match:
      /runtime (?:service )?(?:is )?(?:down|not ready)|PLEG is not healthy|containerd\.sock|crio\.sock|cri-dockerd|runtime service failed|container runtime (?:is down|status check)/i,
    cause: 'runtime-down',
  },
  {
    match:
      /stopped (?:kubelet|kubernetes node agent)|kubelet\.service: (?:main process exited|failed|deactivated)|kubelet (?:exited|has stopped|is not running)/i,
    cause: 'agent-stopped',
  },
  { match: /no space left on device/i, cause: 'disk-full' },
]

/** What a line of a node, or of its agent, tells of the node. */
export const nodeLineCause = (line: string): CauseCode | null => first(silentAgent, line)

const clusterSigns: readonly Pattern[] = [
  { match: /database space exceeded|NOSPACE|mvcc: .*space/i, cause: 'store-full' },
  {
    match:
      /no leader|lost (?:the )?leader|lost quorum|quorum (?:is )?lost|leader changed.*no|etcdserver: (?:request timed out, possibly due to (?:connection|previous)|not capable)|raft.*(?:failed to reach|pre-candidate)/i,
    cause: 'quorum-lost',
  },
  {
    match:
      /member .*(?:unhealthy|unreachable|is not (?:healthy|started))|unhealthy member|failed to dial .*(?:2379|2380)|prober detected unhealthy|lost the tcp streaming connection with peer|peer .*became inactive/i,
    cause: 'member-down',
  },
  {
    match:
      /slow fdatasync|took too long|overloaded network|failed to send out heartbeat on time|disk.*slow|apply request took too long/i,
    cause: 'store-slow',
  },
  { match: /certificate has expired|x509: .*expired/i, cause: 'certificate-expired' },
  {
    match: /^(?!.*failing open).*(?:failed calling|failed to call) webhook/is,
    cause: 'webhook-unreachable',
  },
  {
    match:
      /too many requests|\b429\b|priority and fairness|rejected.*(?:concurrency|queue)|timed out waiting in queue/i,
    cause: 'api-overloaded',
  },
]

/** What a text of the control plane tells of the cluster. */
export const clusterCause = (message: string): CauseCode | null => first(clusterSigns, message)

/** Texts that only say again that something is wrong. */
export const restates = (reason: string, message: string): boolean =>
  /^Back-?off/i.test(message) ||
  reason === 'BackOff' ||
  /unable to attach or mount volumes|timed out waiting for the condition/i.test(message) ||
  /^Error: (?:ErrImagePull|ImagePullBackOff)$/i.test(message) ||
  ['NodeNotReady', 'TaintManagerEviction', 'Killing', 'SandboxChanged'].includes(reason)
