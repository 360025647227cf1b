// @vitest-environment jsdom
import { cleanup, render, screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { createRoutesStub } from 'react-router'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { SetIntent } from '~/core/sets'
import type { ChangeRecord } from '~/server/changes/changes'
import { draftDataOf } from './draft-data'
import { Members, SetSheet } from './members'

afterEach(cleanup)

const cordon = (node: string) => ({ kind: 'node.cordon', intent: { cluster: 'cedar', node } })
const recordOf = (state: ChangeRecord['state'], nodes: readonly string[]) => ({
  id: 'c-7',
  kind: 'set.run',
  label: 'several changes',
  state,
  intent: { drafts: nodes.map(cordon) },
})
const child = (
  more: Pick<ChangeRecord['children'][number], 'id' | 'label' | 'position' | 'state'> &
    Partial<ChangeRecord['children'][number]>,
): ChangeRecord['children'][number] => ({
  kind: 'node.cordon',
  startedAt: null,
  endedAt: null,
  why: null,
  ...more,
})

/** The sheet of a drafted set; what it asks to be kept is heard. */
function opened(nodes: readonly string[], windows: readonly string[] = []) {
  const kept: SetIntent[] = []
  const record = recordOf('draft', nodes)
  const { set, labels } = draftDataOf(record)
  if (!set) throw new Error('it is no set')
  const Here = () => <SetSheet record={record} set={set} labels={labels} windows={windows} />
  const action = async ({ request }: { readonly request: Request }) => {
    const form = await request.formData()
    expect(form.get('do')).toBe('amend')
    kept.push(JSON.parse(String(form.get('intent'))) as SetIntent)
    return { refused: null }
  }
  const Stub = createRoutesStub([{ path: '*', Component: Here, action }])
  render(<Stub />)
  return kept
}

const rows = () =>
  within(screen.getByRole('list', { name: 'Changes of this set' })).getAllByRole('listitem')
const nodesIn = (set: SetIntent | undefined) =>
  set?.drafts.map(({ intent }) => (intent as { node: string }).node)
const press = (name: string) => userEvent.click(screen.getByRole('button', { name }))
/** What is kept in the end: it is sent a moment after the last press, and after each where presses are slow. */
const isKept = (kept: readonly SetIntent[], hold: (last: SetIntent | undefined) => void) =>
  vi.waitFor(() => hold(kept.at(-1)), { timeout: 10_000 })

describe('a drafted set', () => {
  it('shows its changes in order, by what they are called', () => {
    opened(['n-1', 'n-2'])
    expect(rows().map((row) => within(row).getByText(/^cordon/).textContent)).toEqual([
      'cordon n-1',
      'cordon n-2',
    ])
  })

  it('takes a change to another place, by its name there too, and keeps that', async () => {
    const kept = opened(['n-1', 'n-2', 'n-3'])
    await press('cordon n-1 later')
    expect(within(rows()[1] ?? document.body).getByText('cordon n-1')).toBeTruthy()
    await press('cordon n-3 earlier')
    await isKept(kept, (last) => expect(nodesIn(last)).toEqual(['n-2', 'n-3', 'n-1']))
  })

  it('cannot move the first earlier or the last later', () => {
    opened(['n-1', 'n-2'])
    expect(screen.queryByRole('button', { name: 'cordon n-1 earlier' })).toBeNull()
    expect(screen.queryByRole('button', { name: 'cordon n-2 later' })).toBeNull()
  })

  it('lets go of a change, but not of its last', async () => {
    const kept = opened(['n-1', 'n-2'])
    await press('Take cordon n-1 out')
    await isKept(kept, (last) => expect(nodesIn(last)).toEqual(['n-2']))
    expect(screen.queryByRole('button', { name: /^Take/ })).toBeNull()
  })

  it('gives a change a window of those there are', async () => {
    const kept = opened(['n-1', 'n-2'], ['night'])
    await userEvent.click(screen.getByRole('combobox', { name: 'Window of cordon n-2' }))
    await userEvent.click(screen.getByRole('option', { name: 'night' }))
    await isKept(kept, (last) =>
      expect(last?.drafts.map(({ window }) => window)).toEqual([null, 'night']),
    )
  })
})

describe('a set that has begun', () => {
  const shown = (children: ChangeRecord['children']) => {
    const record = { ...recordOf('running', ['n-1', 'n-2']), children }
    const { members, labels } = draftDataOf(record)
    const Here = () => <Members record={record} members={members ?? []} labels={labels} />
    const Stub = createRoutesStub([{ path: '*', Component: Here }])
    render(<Stub />)
  }

  it('leads to the changes that have begun, and says of the others that their turn comes', () => {
    shown([child({ id: 'c-8', label: 'cordon n-1', position: 0, state: 'running' })])
    const [first, second] = rows()
    const link = within(first ?? document.body).getByRole('link', { name: 'cordon n-1' })
    expect(link.getAttribute('href')).toContain('/changes/c-8')
    expect(first?.textContent).toContain('running')
    expect(within(second ?? document.body).queryByRole('link')).toBeNull()
    expect(second?.textContent).toContain('in its turn')
  })

  it('says when a change ended, and why one did not run', () => {
    const endedAt = '2026-03-02T06:10:00Z'
    shown([
      child({ id: 'c-8', label: 'cordon n-1', position: 0, state: 'done', endedAt }),
      child({ id: 'c-9', label: 'cordon n-2', position: 1, state: 'draft', why: 'no room' }),
    ])
    const [first, second] = rows()
    expect(first?.textContent).toMatch(/done .*06:10/)
    expect(second?.textContent).toContain('no room')
  })
})
