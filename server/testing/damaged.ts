/** Bodies and drafts with something wrong in one place. */
import fc from 'fast-check'

const asIs = Symbol('of the same type')
const odd = [
  '',
  ' ',
  '../..',
  '\u0000',
  '9'.repeat(400),
  'ünïcode',
  '__proto__',
  '10.0.0.0/33',
  '10.0.0.0/0',
  '0.0.0.0/0',
  '::/0',
  '::ffff:10.0.0.1',
  '10.0.0.9-10.0.0.1',
  '1e400',
  '-1',
  '65536',
  'bramble',
  'cedar',
  'palisade-east',
  'general',
  'control-plane',
  'a: [',
  '*',
  '[a-',
]

/** Something of the same type, and most often out of place. */
const sameType = (value: unknown): fc.Arbitrary<unknown> => {
  if (typeof value === 'string')
    return fc.oneof(
      fc.constantFrom(...odd),
      fc.string(),
      fc.constant(`${value}x`),
      fc.constant(value.slice(1)),
    )
  if (typeof value === 'number')
    return fc.constantFrom(0, -1, 1, value + 1, value * 1000, 1e308, 0.5, 65_535, 65_536)
  if (typeof value === 'boolean') return fc.constant(!value)
  if (Array.isArray(value))
    return fc.constantFrom(
      [],
      [...(value as unknown[]), ...(value as unknown[])],
      Array(50).fill((value as unknown[])[0] ?? 'x'),
    )
  return fc.constant({})
}

/** A valid body with one place replaced by something of its type or by anything, or left out. */
export const damaged = (body: unknown): fc.Arbitrary<unknown> => {
  const places: string[][] = []
  const visit = (value: unknown, path: string[]): void => {
    places.push(path)
    if (typeof value === 'object' && value !== null)
      for (const [key, inner] of Object.entries(value)) visit(inner, [...path, key])
  }
  visit(body, [])
  return fc
    .tuple(
      fc.constantFrom(...places),
      fc.oneof(
        { weight: 1, arbitrary: fc.jsonValue() },
        { weight: 1, arbitrary: fc.constantFrom<unknown>(...odd, -1, 1e308, 1.5, [], {}, null) },
        { weight: 4, arbitrary: fc.constant(asIs) },
      ),
      fc.nat({ max: 9 }),
    )
    .chain(([path, anything, nth]) => {
      const was = path.reduce<unknown>((at, key) => (at as Record<string, unknown>)[key], body)
      return (anything === asIs ? sameType(was) : fc.constant(anything)).map((value) => ({
        path,
        value,
        remove: nth === 0,
      }))
    })
    .map(({ path, value, remove }) => {
      if (path.length === 0) return value
      const copy = structuredClone(body) as Record<string, unknown>
      let at: Record<string, unknown> = copy
      for (const key of path.slice(0, -1)) at = at[key] as Record<string, unknown>
      const last = path[path.length - 1] ?? ''
      if (remove && !Array.isArray(at)) delete at[last]
      else at[last] = value
      return copy
    })
}
