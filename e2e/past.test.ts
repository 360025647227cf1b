/** Looking back, windows, running later and several as one, as a person does them. */
import { expect, it } from 'vitest'
import { fill, press, see } from './browser'
import type { ApiChange } from './server'
import { suite } from './suite'

const served = suite({ refusals: false })
const { visit, advance } = served

const resize = (cluster: string, pool: string, count: number) => ({
  kind: 'pool.resize',
  intent: { cluster, pool, count },
})
const drafted = async (body: object): Promise<ApiChange> =>
  (await served.api.ask<ApiChange>('POST', '/changes', body)).json

it('a draft is scheduled into the window that covers its cluster, and taken off again', async () => {
  const { id } = await drafted(resize('bramble', 'base', 4))
  const page = await visit(`/changes/${id}`)
  await fill(page, 'textbox', 'bramble is guarded: type its name', 'bramble')
  await press(page, 'button', 'Run later…')
  await see(page, 'cloud mornings, Tue 3 Mar 04:00 UTC')
  await press(page, 'button', 'Schedule')
  await see(page, 'when window cloud mornings opens')
  await press(page, 'button', 'Take off the schedule')
  await see(page, 'Run later…')
})

it('windows are drawn, and a cluster that has none is given one', async () => {
  const page = await visit('/shape/windows')
  await see(page, '2 without a window')
  await see(page, 'covers alder and cedar')
  await press(page, 'button', 'Draft one')
  await see(page, 'covers dill')
  await press(page, 'button', 'Run')
  await see(page, 'Done and proven')
  await visit('/shape/windows').then((after) => see(after, '1 without a window'))
})

it('several drafts run as one, in their order', async () => {
  await drafted(resize('alder', 'core', 4))
  await drafted({
    kind: 'window.remove',
    intent: { name: 'archive' },
  })
  const page = await visit('/raise')
  await press(page, 'button', 'remove window archive, in the set')
  await press(page, 'button', 'resize core of alder to 4, in the set')
  await press(page, 'button', 'Draft them as one')
  await see(page, 'alder is guarded: type its name')
  await press(page, 'checkbox', 'I accept this')
  await fill(page, 'textbox', 'alder is guarded: type its name', 'alder')
  await press(page, 'button', 'Run')
  await see(page, 'in its turn')
  await advance(1800)
  await see(page, 'Done and proven')
})

it('a page shows the fleet as it was, and leads back to now', async () => {
  await advance(3600)
  const { json } = await served.api.ask<{ now: string }>('GET', '/clock')
  const { now } = json
  const then = new Date(Date.parse(now) - 3_000_000).toISOString()
  const page = await visit(`/fleet?at=${then}`)
  await see(page, 'The fleet as it was on')
  await press(page, 'link', 'Ground')
  await see(page, 'The fleet as it was on')
  expect(page.url()).toContain('at=')
  await press(page, 'button', 'Back to now')
  await page.waitForFunction(() => !document.body.innerText.includes('The fleet as it was on'))
  expect(page.url()).not.toContain('at=')
})

it('tells since when a node is in its state, and how well estimates did', async () => {
  const page = await visit('/journal/observed?about=node/cedar/cedar-general-2')
  await see(page, 'well as far back as is known')
  await visit('/journal/estimates').then((estimates) => see(estimates, 'Off by'))
})

it('what wants somebody is chosen from the list, and tells since when', async () => {
  const page = await visit('/fleet')
  await page.click('a[href*="bramble-general-2"]')
  await see(page, 'Since when, and what changed')
  expect(new URL(page.url()).searchParams.get('on')).toBe('node/bramble/bramble-general-2')
  await press(page, 'link', 'Since when, and what changed')
  await see(page, 'What is kept')
})

it('a walk is asked since when it ends as it does, beside it', async () => {
  const page = await visit(
    '/wire/walk?from=climate/climate-loop&to=weather-bureau&port=8443&aim=cluster/bramble',
  )
  await press(page, 'button', 'Since when?')
  await see(page, 'It has been so for as long as is known.')
})
