/** What the API calls the resources of a kind: `Ingress` is `ingresses`. Source: the API’s own names, by their rule. */
export function resourcesOf(kind: string): string {
  const lower = kind.toLowerCase()
  if (lower === 'endpoints') return lower
  if (/(s|x|ch|sh)$/.test(lower)) return `${lower}es`
  return /[^aeiou]y$/.test(lower) ? `${lower.slice(0, -1)}ies` : `${lower}s`
}
