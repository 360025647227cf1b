/** The pod security standards, levels baseline and restricted, as far as a template can break them. Source: the standards’ own text. */
import { type Json, list, record } from './json'

/** The label of a namespace that says at which level pods are refused, or warned of. */
export const podSecurityLabel = (mode: 'enforce' | 'warn'): string =>
  `pod-security.kubernetes.io/${mode}`

/** What of a pod’s spec breaks a level; nothing for `privileged`, or where no level is given. */
export function podSecurityBreaks(level: string | undefined, spec: Json): readonly string[] {
  if (level !== 'baseline' && level !== 'restricted') return []
  const containers = [...list(spec['containers']), ...list(spec['initContainers'])].map(record)
  const contextOf = (container: Json): Json => record(container['securityContext'])
  const hasHostPort = (container: Json): boolean =>
    list(container['ports']).some((port) => Number(record(port)['hostPort'] ?? 0) > 0)
  const isRoot = (container: Json): boolean => contextOf(container)['runAsNonRoot'] !== true
  const rules: readonly (readonly [string, boolean])[] = [
    [
      'host namespaces',
      spec['hostNetwork'] === true || spec['hostPID'] === true || spec['hostIPC'] === true,
    ],
    ['privileged', containers.some((container) => contextOf(container)['privileged'] === true)],
    [
      'hostPath volumes',
      list(spec['volumes']).some((volume) => record(volume)['hostPath'] !== undefined),
    ],
    ['hostPort', containers.some(hasHostPort)],
    [
      'allowPrivilegeEscalation != false',
      level === 'restricted' &&
        containers.some((container) => contextOf(container)['allowPrivilegeEscalation'] !== false),
    ],
    [
      'runAsNonRoot != true',
      level === 'restricted' &&
        record(spec['securityContext'])['runAsNonRoot'] !== true &&
        containers.some(isRoot),
    ],
  ]
  return rules.flatMap(([says, isBroken]) => (isBroken ? [says] : []))
}
