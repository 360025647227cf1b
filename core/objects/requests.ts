/**
 * What a pod asks of a node. max(containers + sidecars, each init container + the sidecars started before it) + overhead;
 * a sidecar is an init container that is always restarted; limits stand in for missing requests; resources of the pod
 * itself replace the sum. Kept in billionths of a core and in bytes until the end, then rounded up to thousandths and bytes.
 */
import { asText } from './json'
import { parseBytes, parseCpuMilli, type Parsed } from '../units'
import type { Container, PodSpec } from './schema'

/** Amounts by resource name: cpu in thousandths of a core, all others in their own unit (bytes, pieces). */
export type Amounts = ReadonlyMap<string, number>

/** A quantity that does not parse, with the field it stands in. */
export class BadQuantity extends Error {
  readonly path: string
  constructor(path: string, says: string) {
    super(says)
    this.path = path
  }
}

const cache = new Map<string, Parsed<number>>()

/** Reads an amount of a resource; the same text is parsed once. */
export function amountOf(resource: string, given: string | number, path: string): number {
  const text = asText(given)
  const key = resource === 'cpu' ? `c${text}` : `b${text}`
  let parsed = cache.get(key)
  if (!parsed) {
    parsed = resource === 'cpu' ? parseCpuMilli(text) : parseBytes(text)
    if (cache.size > 50_000) cache.clear()
    cache.set(key, parsed)
  }
  if (!parsed.ok) throw new BadQuantity(path, parsed.says)
  return parsed.value
}

type Sum = Map<string, number>
type Given = Readonly<Record<string, string | number>> | null | undefined

/** Cpu is summed in billionths, so that halves of a thousandth of two containers make a whole one. */
function exactly(resource: string, given: string | number, path: string): number {
  if (resource !== 'cpu') return amountOf(resource, given, path)
  const text = asText(given)
  return /^\d+m?$/.test(text) ? amountOf('cpu', text, path) * 1e6 : billionths(text, path)
}

function billionths(text: string, path: string): number {
  const small = /^(\d*\.?\d+)([num])$/.exec(text)
  if (small)
    return Math.ceil(Number(small[1]) * ({ n: 1, u: 1e3, m: 1e6 }[small[2] ?? 'n'] ?? 1) - 1e-6)
  const plain = /^\d*\.?\d+$/.test(text) ? Math.ceil(Number(text) * 1e9 - 1e-3) : null
  return plain ?? amountOf('cpu', text, path) * 1e6
}

function asked(requests: Given, limits: Given, path: string, missing?: Given): Sum {
  const sum: Sum = new Map()
  const take = (given: Given, where: string): void => {
    for (const resource in given) {
      const amount = given[resource]
      if (amount !== undefined && !sum.has(resource))
        sum.set(resource, exactly(resource, amount, `${path}.${where}.${resource}`))
    }
  }
  take(requests, 'requests')
  take(limits, 'limits')
  take(missing, '')
  return sum
}

const add = (to: Sum, more: Sum): void => {
  for (const [resource, amount] of more) to.set(resource, (to.get(resource) ?? 0) + amount)
}
const raise = (to: Sum, sum: Sum): void => {
  for (const [resource, amount] of sum)
    if (amount > (to.get(resource) ?? 0)) to.set(resource, amount)
}

const isSidecar = (container: Container): boolean => container.restartPolicy === 'Always'

/**
 * The request of a pod, by resource. `missing` is what a container that names no request of a resource counts as.
 * Throws BadQuantity, with the field below `path`, for an amount that does not parse.
 */
export function podRequest(spec: PodSpec, path: string, missing?: Given): Amounts {
  const running: Sum = new Map()
  spec.containers?.forEach((container, i) =>
    add(
      running,
      asked(
        container.resources?.requests,
        container.resources?.limits,
        `${path}.containers[${i}].resources`,
        missing,
      ),
    ),
  )
  const sidecars: Sum = new Map()
  const peak: Sum = new Map()
  spec.initContainers?.forEach((container, i) => {
    const own = asked(
      container.resources?.requests,
      container.resources?.limits,
      `${path}.initContainers[${i}].resources`,
      missing,
    )
    if (isSidecar(container)) {
      add(sidecars, own)
      raise(peak, sidecars)
    } else {
      add(own, sidecars)
      raise(peak, own)
    }
  })
  add(running, sidecars)
  raise(running, peak)
  if (spec.resources)
    for (const [resource, amount] of asked(
      spec.resources.requests,
      spec.resources.limits,
      `${path}.resources`,
    ))
      running.set(resource, amount)
  add(running, asked(spec.overhead, null, `${path}.overhead`))
  const cpu = running.get('cpu')
  if (cpu !== undefined) running.set('cpu', Math.ceil(cpu / 1e6))
  return running
}
