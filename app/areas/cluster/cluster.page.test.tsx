// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { clusterOf, nodesOf } from '~/core/fleet'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, press, reason } from '../../testing/pages'
import * as cluster from './cluster'

const pages = pagesOf({ '/clusters/:name': cluster })

const cedar = async () => {
  const shown = clusterOf(await pages.gyrarch.fleet.view(), 'cedar')
  if (!shown) throw new Error('there is no cedar')
  return shown
}
const title = (): string => screen.getByRole('heading', { level: 1 }).textContent

describe('a cluster', () => {
  it('is told with its site, release, nodes and pods', async () => {
    const { site, release, podCount, ...rest } = await cedar()
    await pages.open('/clusters/cedar')
    expect(title()).toContain('cedar')
    const count = nodesOf(rest as Awaited<ReturnType<typeof cedar>>).length
    expect(document.body.textContent).toContain(
      `${site} · ${release} · ${count} nodes · ${podCount} pods`,
    )
  })

  it('every node is listed, and one that is chosen says what it rests on', async () => {
    await pages.open('/clusters/cedar')
    for (const { name } of nodesOf(await cedar()))
      expect(screen.getAllByText(name, { selector: '.mono' }).length).toBeGreaterThan(0)
    const [cell] = screen.getAllByText('cedar-general-3', { selector: '.mono' })
    if (!cell) throw new Error('it has no row')
    await userEvent.click(cell)
    expect(await within(reason()).findByText('MemoryPressure is False')).toBeTruthy()
  })

  it('a node is cordoned by its own button, and then opened', async () => {
    await pages.open('/clusters/cedar?on=cedar-general-3')
    await press('Draft cordoning it')
    const { kind, intent } = await pages.drafted()
    expect(intent).toMatchObject({ cluster: 'cedar', node: 'cedar-general-3', open: false })
    expect((await draftAndRun(pages.gyrarch, kind, intent)).state).toBe('done')
    await pages.again('/clusters/cedar?on=cedar-general-3')
    await press('Draft opening it')
    const opening = await pages.drafted()
    expect(opening.intent).toMatchObject({ open: true })
    expect((await draftAndRun(pages.gyrarch, opening.kind, opening.intent)).state).toBe('done')
  })

  it('draining a node is drafted for that node alone', async () => {
    await pages.open('/clusters/cedar?on=cedar-general-2')
    await press('Draft draining it')
    const { kind, intent } = await pages.drafted()
    expect([kind, (intent as { nodes: readonly string[] }).nodes]).toEqual([
      'node.drain',
      ['cedar-general-2'],
    ])
  })

  it('taking it down is drafted, and stopped by its guard until its name is said', async () => {
    await pages.open('/clusters/cedar')
    await press('Draft taking it down')
    const { kind, guardedBy } = await pages.drafted()
    expect([kind, guardedBy]).toEqual(['cluster.takedown', 'cedar'])
  })

  it('its labels are told, and drafted with what they are now', async () => {
    const { labels, guarded } = await cedar()
    await pages.open('/clusters/cedar')
    expect(within(reason()).getByText('Labels, and guarded')).toBeTruthy()
    await press('Draft others')
    expect((await pages.drafted()).intent).toMatchObject({ cluster: 'cedar', labels, guarded })
  })
})

describe('what a cluster holds', () => {
  it('its objects are listed with what each says', async () => {
    await pages.open('/clusters/cedar?show=objects')
    expect(screen.getAllByText('climate-loop').length).toBeGreaterThan(0)
    const find = screen.getByLabelText('Find in objects of cedar')
    await userEvent.type(find, 'gathering-ledger-0')
    const rows = (await screen.findAllByText('gathering-ledger-0', { selector: '.mono' })).map(
      (cell) => cell.closest('tr, [role=row]')?.textContent ?? '',
    )
    expect(rows.some((row) => row.startsWith('Pod'))).toBe(true)
  })

  it('events that are not kept any more are said to be so', async () => {
    await pages.open('/clusters/cedar?show=events')
    expect(screen.getByText(/Its API has no events now/)).toBeTruthy()
  })

  it('what happens is told once it has happened', async () => {
    await pages.gyrarch.putFault({
      fault: 'machine-off',
      about: 'machine/mossgate/cedar-general-5',
      mode: 'permanent',
      times: 1,
      afterSeconds: 0,
    })
    await pages.gyrarch.outside.advance(180)
    await pages.open('/clusters/cedar?show=events')
    expect(screen.getAllByText('NodeNotReady').length).toBeGreaterThan(0)
  })

  it('a cluster that is not there is said to be so', async () => {
    await expect(pages.gyrarch.cluster('lost')).rejects.toThrow('There is no cluster lost.')
  })
})
