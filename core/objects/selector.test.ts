import { describe, expect, it } from 'vitest'
import { nodeTermTest, selectorTest } from './selector'

const labels = { app: 'ledger', tier: '2' }

describe('a label selector', () => {
  it.each([
    ['nothing at all', null, false],
    ['an empty selector', {}, true],
    ['a label that is', { matchLabels: { app: 'ledger' } }, true],
    ['a label that is another', { matchLabels: { app: 'desk' } }, false],
    [
      'In',
      { matchExpressions: [{ key: 'app', operator: 'In', values: ['desk', 'ledger'] }] },
      true,
    ],
    ['In, absent', { matchExpressions: [{ key: 'zone', operator: 'In', values: ['a'] }] }, false],
    ['NotIn', { matchExpressions: [{ key: 'app', operator: 'NotIn', values: ['ledger'] }] }, false],
    [
      'NotIn, absent',
      { matchExpressions: [{ key: 'zone', operator: 'NotIn', values: ['a'] }] },
      true,
    ],
    ['Exists', { matchExpressions: [{ key: 'tier', operator: 'Exists' }] }, true],
    ['DoesNotExist', { matchExpressions: [{ key: 'tier', operator: 'DoesNotExist' }] }, false],
    [
      'all of several',
      { matchLabels: { app: 'ledger' }, matchExpressions: [{ key: 'x', operator: 'Exists' }] },
      false,
    ],
  ] as const)('%s', (_name, selector, selects) =>
    expect(selectorTest(selector as Parameters<typeof selectorTest>[0])(labels)).toBe(selects),
  )
})

describe('a node term', () => {
  it.each([
    ['Gt', { matchExpressions: [{ key: 'tier', operator: 'Gt', values: ['1'] }] }, true],
    ['Gt, equal', { matchExpressions: [{ key: 'tier', operator: 'Gt', values: ['2'] }] }, false],
    ['Lt', { matchExpressions: [{ key: 'tier', operator: 'Lt', values: ['10'] }] }, true],
    [
      'its name',
      { matchFields: [{ key: 'metadata.name', operator: 'In', values: ['cedar-1'] }] },
      true,
    ],
    [
      'another name',
      { matchFields: [{ key: 'metadata.name', operator: 'In', values: ['cedar-2'] }] },
      false,
    ],
    ['nothing: no node', {}, false],
  ] as const)('%s', (_name, term, takes) =>
    expect(nodeTermTest(term as Parameters<typeof nodeTermTest>[0])(labels, 'cedar-1')).toBe(takes),
  )
})
