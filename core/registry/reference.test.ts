import { describe, expect, it } from 'vitest'
import { isDigest, isRepository, isTag, parseReference } from '.'

const sha = `sha256:${'a1'.repeat(32)}`

describe('references', () => {
  it.each([
    ['market/price-feed', true],
    ['a', true],
    ['irrigation/valve_gateway', true],
    ['irrigation/valve__gateway', true],
    ['irrigation/valve---gateway', true],
    ['irrigation/valve___gateway', false],
    ['Market/price-feed', false],
    ['market//price-feed', false],
    ['/market', false],
    ['market/', false],
    ['market/-feed', false],
    ['..', false],
    [`${'a'.repeat(255)}`, true],
    [`${'a'.repeat(256)}`, false],
  ])('%s is a repository: %s', (text, is) => expect(isRepository(text)).toBe(is))

  it.each([
    ['2', true],
    ['_x', true],
    ['v1.33.2-rc_1', true],
    ['.x', false],
    ['-x', false],
    ['', false],
    ['a'.repeat(128), true],
    ['a'.repeat(129), false],
  ])('%s is a tag: %s', (text, is) => expect(isTag(text)).toBe(is))

  it.each([
    [sha, true],
    [`sha512:${'0'.repeat(128)}`, true],
    [`sha256:${'A1'.repeat(32)}`, false],
    ['sha256:abc', false],
    [`md5:${'a'.repeat(32)}`, false],
    ['sha256', false],
  ])('%s is a digest: %s', (text, is) => expect(isDigest(text)).toBe(is))

  it('come apart into host, repository, tag and digest', () => {
    expect(parseReference(`registry.fernhollow.example/market/price-feed:2@${sha}`)).toEqual({
      host: 'registry.fernhollow.example',
      repository: 'market/price-feed',
      tag: '2',
      digest: sha,
    })
    expect(parseReference('localhost:5000/a')).toEqual({
      host: 'localhost:5000',
      repository: 'a',
      tag: null,
      digest: null,
    })
    expect(parseReference('market/price-feed')).toMatchObject({ host: '', tag: null })
    for (const odd of ['', ':2', 'a:', 'a@', 'a@b@c', 'a b', '-h.x/a', 'a:2@sha256:1', 'A/b'])
      expect(parseReference(odd)).toBeNull()
  })
})
