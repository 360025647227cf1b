/**
 * What texts of the node agent, the runtime, the API server and its controllers mean, in the wordings of several versions.
 * The first pattern that matches decides.
 */
import type { CauseCode } from './causes'

interface Pattern {
  readonly match: RegExp
  readonly cause: CauseCode
}

/** What tells something stands in the first part of a text; the rest of a very long one is not searched. */
const searchedChars = 2000

const first = (patterns: readonly Pattern[], message: string): CauseCode | null => {
  const searched = message.slice(0, searchedChars)
  return patterns.find(({ match }) => match.test(searched))?.cause ?? null
}

const pulling: readonly Pattern[] = [
  { match: /no space left on device/i, cause: 'disk-full' },
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
      /no such host|i\/o timeout|connection refused|connection reset|no route to host|network is unreachable|x509|tls:|tls handshake|certificate|server misbehaving|deadline exceeded|request canceled|\bEOF\b|\b50[0234]\b|bad gateway|service unavailable|lookup .* on /i,
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

/** What the log of a container tells of its own start: its writer may say anything else for reasons of its own. */
export const ownLineCause = (line: string, exitCode: number): CauseCode | null => {
  if (/exec format error/i.test(line)) return 'architecture-wrong'
  if (exitCode === 126 && /permission denied/i.test(line)) return 'not-executable'
  return exitCode === 127 && /not found|no such file/i.test(line) ? 'command-missing' : null
}

/** A name that was asked for and not answered. */
export const isUnresolved = (line: string): boolean =>
  /no such host|could not resolve|name resolution|name or service not known|server misbehaving|NXDOMAIN|getaddrinfo (?:ENOTFOUND|EAI_AGAIN)|lookup \S+(?: on \S+)?: (?:i\/o timeout|.*timeout)|UnknownHostException|nodename nor servname/i.test(
    line.slice(0, searchedChars),
  )

/** A connection that was not answered at all, as where something on the way drops it. */
export const isTimedOut = (line: string): boolean =>
  /i\/o timeout|connection timed out|context deadline exceeded|ETIMEDOUT|timed out (?:connecting|while connecting)|connect timeout|upstream timed out/i.test(
    line.slice(0, searchedChars),
  )

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

const nodeSigns: readonly Pattern[] = [
  {
    match:
      /is before |not yet valid: current time .* is before|token used before issued|clock (?:is )?(?:wrong|skew|off|not synchroni[sz]ed|unsynchroni[sz]ed)|system clock (?:wrong|was stepped)|clock skew/i,
    cause: 'clock-off',
  },
  {
    match:
      /certificate has expired|is after |certificate .*\bexpired|expired .*certificate|certificate expiration/i,
    cause: 'certificate-expired',
  },
  { match: /no space left on device|ENOSPC/i, cause: 'disk-full' },
  {
    match: /fork\/exec .*resource temporarily unavailable|pthread_create failed/i,
    cause: 'pids-short',
  },
  {
    match:
      /runtime (?:service )?(?:is )?(?:down|not ready|not running)|PLEG is not healthy|(?:containerd|crio|cri-dockerd|docker)\.sock|runtime service failed|container ?runtime (?:is down|status check)|validate (?:service )?connection: .*CRI|(?:containerd|crio|docker)\.service: (?:main process exited|failed|deactivated|start request repeated)|(?:containerd|crio|docker)\S* (?:has )?(?:crashed|died|exited)|panic: .*containerd|stopped (?:containerd|container runtime)/i,
    cause: 'runtime-down',
  },
  {
    match:
      /^(?!.*(?:image|webhook|registry|pull)).*(?:(?:dial tcp|connecting to|contacting)\b.*(?:i\/o timeout|connection refused|no route to host|network is unreachable|deadline exceeded)|(?:get|post|put|patch) "?https?:\/\/.*(?:i\/o timeout|connection refused|no route to host|network is unreachable|deadline exceeded|request canceled|client\.timeout)|failed to (?:contact|reach|connect to) (?:the )?api ?server|error (?:updating|getting) node.*(?:timeout|refused|no route|unreachable|deadline)|failed to ensure lease.*(?:timeout|refused|no route|unreachable|deadline)|unable to connect to the (?:api )?server)/is,
    cause: 'api-unreachable',
  },
  {
    match:
      /stopp(?:ed|ing) (?:kubelet|kubernetes (?:node agent|kubelet)|the node agent|node agent)|(?:kubelet|node-agent)\.service: (?:main process exited|failed|deactivated|start request repeated|succeeded|consumed)|kubelet (?:exited|has stopped|is not running|stopped)|failed to run kubelet/i,
    cause: 'agent-stopped',
  },
]

/** What a line of a node, or of its agent, tells of the node. */
export const nodeLineCause = (line: string): CauseCode | null => first(nodeSigns, line)

/** What a line tells to be well again: earlier lines of these causes are over. */
export const wellAgain = (line: string): readonly CauseCode[] => {
  if (/successfully registered node|node (?:is )?(?:now )?ready\b|NodeReady/i.test(line))
    return [
      'api-unreachable',
      'runtime-down',
      'agent-stopped',
      'certificate-expired',
      'clock-off',
      'disk-full',
    ]
  if (/started (?:containerd|container runtime|crio|docker)/i.test(line)) return ['runtime-down']
  return /started (?:kubelet|kubernetes (?:node agent|kubelet))/i.test(line)
    ? ['agent-stopped']
    : []
}

const nodeEvents: readonly Pattern[] = [
  {
    match:
      /FreeDiskSpaceFailed|ImageGCFailed|reclaim (?:ephemeral-storage|nodefs|imagefs|inodes)|disk pressure|NodeHasDiskPressure|failed to garbage collect required amount of images/i,
    cause: 'disk-full',
  },
  {
    match: /SystemOOM|System OOM encountered|reclaim memory|NodeHasInsufficientMemory/i,
    cause: 'memory-short',
  },
  { match: /reclaim pids|NodeHasInsufficientPID|PID pressure/i, cause: 'pids-short' },
  {
    match:
      /DeletingNode|Deleting node .* because it does not exist|does not exist in (?:the )?cloud provider|NodeShutdown\b|node is shutting down|TerminatingInstance|PreemptScheduled|instance .*(?:terminated|stopped|not found)|machine .*(?:is gone|deleted|not found|powered off)|server .*not found/i,
    cause: 'machine-gone',
  },
]

/** Collecting what is left over fails, too, where there is no runtime to ask. */
const runtimeIn = (message: string): CauseCode | null =>
  nodeLineCause(message) === 'runtime-down' ? 'runtime-down' : null

/** What an event of a node tells, its reason included. */
export const nodeEventCause = (reason: string, message: string): CauseCode | null =>
  runtimeIn(message) ?? first(nodeEvents, `${reason} ${message}`) ?? nodeLineCause(message)

const clusterSigns: readonly Pattern[] = [
  {
    match: /database space exceeded|NOSPACE|mvcc: .*space|storage quota exceeded/i,
    cause: 'store-full',
  },
  {
    match:
      /no leader|lost (?:the )?leader|lost quorum|quorum (?:is )?lost|(?:has )?no quorum|without quorum|etcdserver: (?:request timed out, possibly due to (?:connection|previous)|not capable)|is starting a new election|raft.*(?:failed to reach|pre-candidate)|failed to reach consensus/i,
    cause: 'quorum-lost',
  },
  {
    match:
      /member .*(?:unhealthy|unreachable|is not (?:healthy|started))|unhealthy member|failed to dial .*(?:2379|2380)|prober detected unhealthy|lost the tcp streaming connection with peer|peer .*(?:became|is) (?:inactive|unreachable)|health check for peer .* could not connect|sending buffer is full|dial tcp \S+:2380: .*(?:refused|timeout|no route)/i,
    cause: 'member-down',
  },
  {
    match:
      /slow fdatasync|took too long|overloaded network|failed to send out heartbeat on time|leader is overloaded|disk.*slow|slow disk|waiting for the applied index|wal_fsync|etcdserver: request timed out/i,
    cause: 'store-slow',
  },
  {
    match: /certificate has expired|x509: .*expired|certificate .*\bexpired|is after /i,
    cause: 'certificate-expired',
  },
  {
    match: /^(?!.*failing open).*(?:failed calling|failed to call) webhook/is,
    cause: 'webhook-unreachable',
  },
  {
    match:
      /too many requests|\b429\b|priority and fairness|rejected.*(?:concurrency|queue|time-?out)|timed out waiting in queue|queue-full|apf_|too many (?:concurrent )?requests|max-?requests-?inflight/i,
    cause: 'api-overloaded',
  },
]

/** What a line tells to be well again: earlier lines of these causes are over. */
export const clusterWellAgain = (line: string): readonly CauseCode[] => {
  if (/elected leader|became leader|now have quorum/i.test(line)) return ['quorum-lost']
  return /peer became active|established (?:a )?TCP streaming/i.test(line) ? ['member-down'] : []
}

/** What a text of the control plane tells of the cluster. */
export const clusterCause = (message: string): CauseCode | null => first(clusterSigns, message)

/** Texts that only say again that something is wrong. */
export const restates = (reason: string, message: string): boolean =>
  /^Back-?off/i.test(message) ||
  reason === 'BackOff' ||
  /unable to attach or mount volumes|timed out waiting for the condition/i.test(message) ||
  /^Error: (?:ErrImagePull|ImagePullBackOff)$/i.test(message) ||
  ['NodeNotReady', 'TaintManagerEviction', 'Killing', 'SandboxChanged'].includes(reason)
