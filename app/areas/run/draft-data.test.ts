import { describe, expect, it } from 'vitest'
import type { ChangeRecord } from '~/server/changes/changes'
import { draftDataOf } from './draft-data'
import { draftKey } from './draft-key'

const told = (kind: string, state: ChangeRecord['state'], intent: unknown) =>
  draftDataOf({ kind, state, intent })

const cordon = (node: string) => ({ kind: 'node.cordon', intent: { cluster: 'cedar', node } })
const set = { label: 'two nodes', drafts: [cordon('n-1'), { ...cordon('n-2'), window: 'night' }] }
const [first, second] = set.drafts.map((draft) => draftKey(draft))

describe('what a page is told of a change', () => {
  it('is the form of a draft, with the fields of its kind', () => {
    const { form, set: asSet, members } = told('node.cordon', 'draft', cordon('n-1').intent)
    expect([asSet, members]).toEqual([null, null])
    expect(form).toMatchObject({
      title: expect.stringMatching(/\w/) as string,
      schema: { type: 'object', properties: { cluster: {}, node: {} } },
    })
  })

  it('is nothing to be edited once it runs', () => {
    expect(told('node.cordon', 'running', cordon('n-1').intent)).toEqual({
      form: null,
      set: null,
      members: null,
      labels: {},
    })
  })

  it('is what a drafted set asks for, with the names of its changes wherever they are moved', () => {
    const { form, set: asSet, labels } = told('set.run', 'draft', set)
    expect(form).toBeNull()
    expect(asSet).toMatchObject({ label: 'two nodes', atOnce: 1, drafts: [cordon('n-1'), {}] })
    const turned = [...(asSet?.drafts ?? [])].reverse().map((draft) => labels[draftKey(draft)])
    expect(turned).toEqual([expect.stringContaining('n-2'), expect.stringContaining('n-1')])
  })

  it('is the members of a set that runs, in order, with their windows', () => {
    const { set: asSet, members, labels } = told('set.run', 'halted', set)
    expect(asSet).toBeNull()
    expect(members).toEqual([
      { key: first, window: null },
      { key: second, window: 'night' },
    ])
    expect(Object.keys(labels)).toEqual([first, second])
  })

  it('names a change that no longer reads by its kind', () => {
    const { labels } = told('set.run', 'done', {
      drafts: [{ kind: 'node.cordon', intent: { cluster: 7 } }],
    })
    expect(Object.values(labels)).toEqual(['node.cordon'])
  })

  it('is nothing of a kind that there no longer is', () => {
    expect(told('node.gone', 'draft', {}).form).toBeNull()
  })
})
