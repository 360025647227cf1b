/** Texts that are too much to read at once, and those that only look so. */
import { describe, expect, it } from 'vitest'
import { mostDocuments, mostPieces, parseManifests } from './parse'

const map = (name: string, data: string) =>
  `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: ${name}}\n${data}`
const problems = (text: string): readonly string[] =>
  parseManifests(text).problems.map(({ says }) => says)

describe('a text', () => {
  it('of as many documents as are read at a time is read, and one more is not', () => {
    const all = Array.from({ length: mostDocuments }, (_, nth) => map(`c${nth}`, ''))
    expect(parseManifests(all.join('---\n')).documents).toHaveLength(mostDocuments)
    expect(problems([...all, map('more', '')].join('---\n'))[0]).toContain('documents')
    expect(problems(`---\n${all.join('---\n')}`)).toEqual([])
  })

  it('of more lines and entries than are read at a time is refused before it is parsed', () => {
    const wide = `data: {a: [${'x,'.repeat(mostPieces)}x]}`
    const long = `data:\n${Array.from({ length: mostPieces }, (_, nth) => `  k${nth}: x`).join('\n')}`
    for (const data of [wide, long]) expect(problems(map('c', data))[0]).toContain('in parts')
    expect(problems(map('c', `data:\n  text: "${'x'.repeat(1_000_000)}"`))).toEqual([])
  })

  it('nested deeper than it can be read is refused, not thrown at', () => {
    expect(problems(map('c', `data: ${'['.repeat(50_000)}`)).length).toBeGreaterThan(0)
  })

  it('whose aliases stand for more than a text may hold is named by its document', () => {
    const list = `data:\n  a: &a [${Array.from({ length: 8000 }, () => 'x').join(',')}]\n`
    const many = (count: number) => `  b: [${Array.from({ length: count }, () => '*a').join(',')}]`
    expect(problems(map('c', list + many(20)))).toEqual([])
    expect(problems(map('c', list + many(100)))[0]).toContain('aliases')
  })

  it('with an alias inside its own anchor is told, and is not read', () => {
    for (const data of ['data: &a {b: *a}', 'data: {b: &a [[x, *a]]}', 'data: &a\n  <<: *a\n'])
      expect(problems(map('c', data))[0]).toContain("anchor 'a' value contains itself")
    expect(problems(map('c', 'data: {b: &a x, c: *a}'))).toEqual([])
    expect(problems(map('c', 'data: {b: &a {c: &a y, d: *a}}'))).toEqual([])
  })

  it('tells keys that stand twice where the second stands, in maps of any size', () => {
    const keys = Array.from({ length: 50_000 }, (_, nth) => `  k${nth}: x`)
    const text = map('c', `data:\n${[...keys, '  k7: y', '  1: a', '  "1": b'].join('\n')}\n`)
    const { problems: told } = parseManifests(text)
    expect(told.map(({ line, column }) => [line, column])).toEqual([[50_005, 3]])
  })
})
