/** Changes of specs that recompute: where a pod would go, what a quota would allow, whom a policy would let pass. */
import { type Json, record, text } from '../objects'
import { place, readWorld } from '../placement'
import { parseCpuMilli } from '../units'
import type { CauseCode, DiagnosisRemedy, PolicyOpening } from './causes'
import type { Evidence, Fact, Ref } from './facts'
import { said } from './says'

const placed = new Set<CauseCode>([
  'no-room',
  'taint',
  'selector',
  'affinity',
  'spread',
  'host-port',
  'volume-elsewhere',
  'cordoned',
])
/** Past so many nodes for each waiting pod, placing is not tried here. */
const mostTries = 2_000_000

/** What would let a waiting pod be placed, by placing it again. */
export function placing(
  evidence: Evidence,
  cause: CauseCode,
  pod: Ref,
  given: readonly unknown[],
): readonly DiagnosisRemedy[] {
  if (!placed.has(cause) || !pod.startsWith('pod/')) return []
  const waiting = evidence
    .ofKind('Pod')
    .filter((each) => text(record(each['spec'])['nodeName']) === '').length
  if (waiting * evidence.ofKind('Node').length > mostTries) return []
  const read = evidence.once('placement', () => readWorld(given))
  if (!read.ok) return []
  const answer = evidence.once('placed', () => place(read.world))
  const key = pod.slice('pod/'.length)
  return (answer.waiting.find((each) => each.pod === key)?.remedies ?? [])
    .slice(0, 3)
    .map(({ says, patch }) => ({
      says: said('remedy.placed', { says }).says,
      patch: patch.map(({ op, path, value }) => ({ op, path, value })),
    }))
}

interface Exceeded {
  readonly resource: string
  readonly requested: string
  readonly used: string
}

const pairs = (list: string): ReadonlyMap<string, string> =>
  new Map(
    list.split(',').flatMap((pair) => {
      const [name = '', amount = ''] = pair.trim().split('=')
      return name === '' || amount === '' ? [] : [[name, amount] as const]
    }),
  )

/** What a quota’s refusal says of each resource: how much was asked for, and how much is used. */
export function exceededIn(message: string): readonly Exceeded[] {
  const [, requested, used, limited] =
    /requested: (.*?), used: (.*?), limited: (.*?)\.?$/.exec(message) ?? []
  if (requested === undefined || used === undefined || limited === undefined) return []
  const [asked, taken] = [pairs(requested), pairs(used)]
  return [...pairs(limited).keys()].flatMap((resource) => {
    const [wants, has] = [asked.get(resource), taken.get(resource)]
    return wants === undefined || has === undefined
      ? []
      : [{ resource, requested: wants, used: has }]
  })
}

const milli = (quantity: string): number | null => {
  const parsed = parseCpuMilli(quantity)
  return parsed.ok ? parsed.value : null
}

/** A quota that allows what was asked for on top of what is used; the sum is compared again with what it then allows. */
export function allowing(
  quota: Json,
  path: string,
  facts: readonly Fact[],
): readonly DiagnosisRemedy[] {
  const hard = record(record(quota['spec'])['hard'])
  const short = facts
    .flatMap(({ text: message }) => exceededIn(message))
    .filter(({ resource }) => hard[resource] !== undefined)
  const [first] = short
  if (!first) return []
  const changes = new Map<string, string>()
  for (const { resource, requested, used } of short) {
    const [wants, has] = [milli(requested), milli(used)]
    if (wants === null || has === null) return []
    const needed = Math.ceil(wants + has)
    const isWhole = needed % 1000 === 0
    changes.set(resource, isWhole ? String(needed / 1000) : `${needed}m`)
  }
  const isEnough = short.every(({ resource, requested, used }) => {
    const [wants, has, allowed] = [
      milli(requested),
      milli(used),
      milli(changes.get(resource) ?? '0'),
    ]
    return wants !== null && has !== null && allowed !== null && wants + has <= allowed
  })
  if (!isEnough) return []
  return [
    {
      says: said('remedy.quota', {
        allows: [...changes].map(([resource, amount]) => `${resource}: ${amount}`),
      }).says,
      patch: [...changes].map(([resource, value]) => ({
        op: 'replace' as const,
        path: `${path}/spec/hard/${resource.replace(/~/g, '~0').replace(/\//g, '~1')}`,
        value,
      })),
    },
  ]
}

/** A policy with one more rule: for the very packets that it kept back. */
export const letting = (
  policy: Json,
  path: string,
  { side, rule }: PolicyOpening,
): readonly DiagnosisRemedy[] => [
  {
    says: said('remedy.policy', { name: text(record(policy['metadata'])['name']), side }).says,
    patch: [
      record(policy['spec'])[side] === undefined
        ? { op: 'add', path: `${path}/spec/${side}`, value: [rule] }
        : { op: 'add', path: `${path}/spec/${side}/-`, value: rule },
    ],
  },
]
