/** How names and labels are written. Source: the Kubernetes documentation, Object Names and IDs, Labels and Selectors. */
import { asText } from '../objects'
import { dnsLabel } from '../objects/dns-label'

const subdomain = /^[a-z0-9]([-a-z0-9]*[a-z0-9])?(\.[a-z0-9]([-a-z0-9]*[a-z0-9])?)*$/
const qualifiedName = /^([A-Za-z0-9][-A-Za-z0-9_.]*)?[A-Za-z0-9]$/
const shortNames = new Set(['Namespace', 'Service'])
const pathNames = new Set(['Role', 'ClusterRole', 'RoleBinding', 'ClusterRoleBinding'])

export function nameWrong(kind: string, name: string): string | null {
  if (pathNames.has(kind))
    return /[/%]/.test(name) || name === '.' || name === '..'
      ? `“${name}” may hold neither / nor %.`
      : null
  if (shortNames.has(kind))
    return dnsLabel.test(name)
      ? null
      : `“${name}” is no name: up to 63 small letters, digits and -, beginning and ending with a letter or digit.`
  return name.length <= 253 && subdomain.test(name)
    ? null
    : `“${name}” is no name: small letters, digits, - and dots, beginning and ending with a letter or digit.`
}

export function labelKeyWrong(key: string): string | null {
  const [name = '', prefix] = key.includes('/')
    ? [key.slice(key.indexOf('/') + 1), key.slice(0, key.indexOf('/'))]
    : [key]
  if (prefix !== undefined && (prefix.length > 253 || !subdomain.test(prefix)))
    return `“${key}” has no DNS name before its /.`
  return name.length <= 63 && qualifiedName.test(name)
    ? null
    : `“${key}” is no label: up to 63 letters, digits, -, _ and dots.`
}

export const labelValueWrong = (value: unknown): string | null => {
  if (typeof value !== 'string') return `A label is text: write "${asText(value)}" in quotes.`
  return value === '' || (value.length <= 63 && qualifiedName.test(value))
    ? null
    : `“${value.slice(0, 80)}” is no label value: up to 63 letters, digits, -, _ and dots.`
}
