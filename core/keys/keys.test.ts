import { expect, it } from 'vitest'
import { credentialForm, credentialName, sshKeyName } from '.'

const isKeyName = (name: string): boolean => sshKeyName.safeParse(name).success

it('takes names of keys as files bear them, and no path or space in one', () => {
  expect(['duty-2026', 'id_ed25519', 'night.shift', '7', 'a'.repeat(63)].every(isKeyName)).toBe(
    true,
  )
  expect(
    ['', 'Duty', '-duty', '../duty', 'duty 2026', 'a'.repeat(64), 'duty\n'].some(isKeyName),
  ).toBe(false)
})

it('takes names of credentials that begin and end with a letter or a digit', () => {
  const isName = (name: string): boolean => credentialName.safeParse(name).success
  expect(['a', 'fernhollow-operations', '2026'].every(isName)).toBe(true)
  expect(['', 'a-', '-a', 'a.b', 'a_b', 'A', 'a'.repeat(64)].some(isName)).toBe(false)
})

it('says what is wrong with a credential, field by field', () => {
  const read = credentialForm.safeParse({ site: '', name: 'A', secret: 'short', until: '' })
  expect(read.error?.issues.map(({ path, message }) => [path.join('.'), message])).toEqual([
    ['site', 'Choose a site.'],
    ['name', 'Use a–z, 0–9 and inner dashes, at most 63.'],
    ['secret', 'Give at least 12 characters.'],
    ['until', 'Give the day it ends.'],
  ])
})
