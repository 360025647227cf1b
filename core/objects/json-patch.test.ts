import { createRequire } from 'node:module'
import { describe, expect, it } from 'vitest'
import { applyJsonPatch } from './json-patch'

interface PublicCase {
  readonly comment?: string
  readonly doc?: unknown
  readonly patch?: unknown
  readonly expected?: unknown
  readonly error?: string
  readonly disabled?: boolean
}

const load = createRequire(import.meta.url)
const cases = ['tests.json', 'spec_tests.json']
  .flatMap((file) => load(`json-patch-test-suite/${file}`) as readonly PublicCase[])
  .filter((entry) => 'doc' in entry && 'patch' in entry && entry.disabled !== true)

describe('the public test cases of JSON Patch', () => {
  it('are all there', () => expect(cases.length).toBeGreaterThan(85))

  it.each(
    cases.map((entry, i) => [i, entry.comment ?? JSON.stringify(entry.patch), entry] as const),
  )('%i %s', (_i, _name, { doc, patch, expected, error }) => {
    const before = JSON.stringify(doc)
    const patched = applyJsonPatch(doc, patch)
    expect(patched.ok).toBe(error === undefined)
    if (patched.ok && expected !== undefined) expect(patched.value).toEqual(expected)
    expect(JSON.stringify(doc)).toBe(before)
  })
})
