/** The page that shows a place of the fleet. */

const at = (path: string, query: Readonly<Record<string, string>>): string =>
  `${path}?${new URLSearchParams(query).toString()}`

/** The address of a place’s page by its ref; the fleet where a kind has no page. */
export function pathOfPlace(ref: string): string {
  const [kind = '', first = '', ...rest] = ref.split('/')
  const name = rest.join('/')
  const aim = `cluster/${first}`
  switch (kind) {
    case 'cluster':
    case 'pool':
      return `/clusters/${first}`
    case 'backup':
      return at(`/clusters/${first}`, { show: 'keeping' })
    case 'node':
      return at(`/clusters/${first}`, { on: name })
    case 'workload':
      return at('/shape/workloads', { aim, workload: name })
    case 'object':
      return pathOfObject(aim, rest)
    case 'record':
      return at('/ground/names', { site: first, name })
    case 'address':
      return at('/ground', { site: first, address: name })
    case 'firewall':
      return at('/wire/firewall', { site: first, rule: name })
    case 'host':
      return at('/ground/packing', { site: first, host: name })
    case 'site':
    case 'machine':
    case 'network':
    case 'image':
    case 'balancer':
      return at('/ground', { site: first })
    default:
      return '/fleet'
  }
}

function pathOfObject(aim: string, [kind = '', namespace = '', name = '']: string[]): string {
  const key = `${namespace}/${name}`
  switch (kind) {
    case 'Service':
      return at('/wire/traffic', { aim, service: key })
    case 'NetworkPolicy':
      return at('/wire/policies', { aim, policy: key })
    case 'Namespace':
      return at('/shape/namespaces', { aim })
    case 'Pod':
      return at('/wire/walk', { aim, from: key })
    default:
      return at('/shape/manifests', { aim, object: `${kind}/${namespace}/${name}` })
  }
}
