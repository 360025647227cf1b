import { expect, it } from 'vitest'
import { withCodes } from './with-codes'

it('gives a finding the code of its rule, a failure that of its reason, and a fact `told`', () =>
  expect(
    withCodes([
      {
        rule: 'disk.small',
        says: 'too small',
        because: [{ says: '8 GB', source: 'the box' }],
        remedies: [{ says: 'Use another' }],
      },
      { reason: 'no-stock', says: 'none left', chain: [] },
    ]),
  ).toEqual([
    {
      rule: 'disk.small',
      says: 'too small',
      code: 'disk.small',
      params: { text: 'too small' },
      because: [{ says: '8 GB', source: 'the box', code: 'told', params: { text: '8 GB' } }],
      remedies: [{ says: 'Use another' }],
    },
    {
      reason: 'no-stock',
      says: 'none left',
      code: 'no-stock',
      params: { text: 'none left' },
      chain: [],
    },
  ]))

it('leaves what has a code as it is', () => {
  const fact = { code: 'zones', params: { zones: ['a'] }, says: 'zones a' }
  expect(withCodes({ fact })).toEqual({ fact })
})
