/** A node is not ready, four times: found, mended by what is proven, healed. */
import type { Page } from 'puppeteer-core'
import { expect, it } from 'vitest'
import { fill, find, goTo, press, pressToDraft, see } from './browser'
import { api } from './server'
import { suite } from './suite'

const served = suite({ refusals: false })
const { visit, advance } = served

/** Minutes on the clock, one after another: cases are looked at as they go. */
async function minutes(count: number): Promise<void> {
  for (let minute = 0; minute < count; minute++) await advance(60)
}

interface Drill {
  readonly case: string | null
  readonly state: string
  readonly score: number | null
}

async function currentDrill(): Promise<Drill> {
  const { ask } = api(served.url)
  const { json } = await ask<{ current: Drill }>('GET', '/drills')
  return json.current
}

/** Begins a drill and waits until it shows as a case. */
async function begin(page: Page, title: string): Promise<string> {
  const { ask } = api(served.url)
  const { json } = await ask<{ current: Drill | null }>('GET', '/drills')
  if (json.current?.state === 'on') await ask('POST', '/drills/current/give-up')
  await goTo(page, `${served.url}/mend/practice`)
  await press(page, 'button', `Begin ${title}`)
  await see(page, 'is under way')
  await minutes(4)
  const drill = await currentDrill()
  expect(drill.case).toMatch(/^m-/)
  return drill.case ?? ''
}

/** Runs the first remedy of a case as a person does. */
async function mend(page: Page, id: string, isGuarded: boolean): Promise<void> {
  await goTo(page, `${served.url}/mend/${id}`)
  await pressToDraft(page, 'Draft it')
  await see(page, isGuarded ? 'bramble is guarded: type its name' : 'Nothing stands against it')
  // What is to be known before is accepted, whatever it is.
  for (const tick of await page.$$(
    'main input[type=checkbox]:not(:checked), aside input[type=checkbox]:not(:checked)',
  ))
    await tick.click()
  if (isGuarded) await fill(page, 'textbox', 'bramble is guarded: type its name', 'bramble')
  await press(page, 'button', 'Run')
  await see(page, 'Running')
  await advance(900)
  await see(page, 'Done and proven')
  await minutes(5)
}

it.each([
  ['A node is not ready, one', 'the container runtime does not run', true],
  // A rule is the site’s: no cluster has to be named for it.
  ['A node is not ready, two', 'the API is not reached', false],
  ['A node is not ready, three', 'a webhook keeps system pods from being made', true],
])('story 11: %s', async (title, cause, isGuarded) => {
  const page = await visit('/mend/practice')
  const id = await begin(page, title)
  await goTo(page, `${served.url}/mend`)
  await see(page, cause)
  await goTo(page, `${served.url}/mend/${id}`)
  await see(page, 'From cause to symptom')
  await see(page, 'What clears it')
  await mend(page, id, isGuarded)
  await goTo(page, `${served.url}/mend/${id}`)
  await see(page, 'ended before the symptom went')
  expect(await currentDrill()).toMatchObject({ state: 'mended' })
})

it('with two causes the case stays open after the first, and names the second', async () => {
  const page = await visit('/mend/practice')
  const id = await begin(page, 'It never comes alone')
  await goTo(page, `${served.url}/mend/${id}`)
  await see(page, 'runtime-down')
  await see(page, 'disk-full')
  const { ask, runOut } = api(served.url)
  const drafted = await ask<{ id: string; findings: readonly { key: string }[] }>(
    'POST',
    '/changes',
    { kind: 'machine.restart', intent: { cluster: 'bramble', node: 'bramble-general-1' } },
  )
  await ask('POST', `/changes/${drafted.json.id}/run`, {
    accept: drafted.json.findings.map(({ key }) => key),
    confirm: 'bramble',
  })
  await runOut(drafted.json.id)
  await minutes(5)
  await goTo(page, `${served.url}/mend/${id}`)
  await see(page, 'What is left: bramble-general-1: its disk is full')
  await goTo(page, `${served.url}/mend/practice`)
  await press(page, 'button', 'Give up')
  await see(page, 'given up')
})

it('keeps who is on a case, and finds words in its evidence', async () => {
  const { ask } = api(served.url)
  await ask('POST', '/faults', {
    fault: 'process-ends',
    about: 'workload/bramble/market/price-feed',
    mode: 'permanent',
  })
  await minutes(1)
  const opened = await ask<{ id: string }>('POST', '/cases', {
    cluster: 'bramble',
    about: 'deployment/market/price-feed',
  })
  const page = await visit(`/mend/${opened.json.id}`)
  await (await find(page, 'textbox', 'Who is on it')).type('Ada')
  await (await find(page, 'textbox', 'Note')).type('asked the market desk')
  await press(page, 'button', 'Write it down')
  await see(page, 'asked the market desk')
  await (await find(page, 'textbox', 'Search the evidence')).type('Back-off restarting')
  await see(page, 'BackOff: Back-off restarting failed container')
  await goTo(page, `${served.url}/mend`)
  await see(page, 'Ada is on it')
})

it('a run that halted leads to its case by one key, and a drill that ended can be looked at again', async () => {
  const { ask } = api(served.url)
  const page = await visit('/mend/practice')
  const { json } = await ask<{ current: Drill | null }>('GET', '/drills')
  if (json.current?.state === 'on') await ask('POST', '/drills/current/give-up')
  await press(page, 'button', 'Begin The last address')
  await see(page, 'is under way')
  await minutes(12)
  const { json: changes } = await ask<{ changes: readonly { id: string; state: string }[] }>(
    'GET',
    '/changes',
  )
  const halted = changes.changes.find(({ state }) => state === 'halted')
  await goTo(page, `${served.url}/changes/${halted?.id}`)
  await find(page, 'link', 'Its case')
  await page.keyboard.press('m')
  await see(page, 'From cause to symptom')
  await see(page, 'has halted')
  await find(page, 'link', 'Open the change')
  // Nobody has to find it: it is named, and given up.
  await goTo(page, `${served.url}/mend/practice`)
  await press(page, 'button', 'Give up')
  await see(page, 'given up')
  await press(page, 'link', 'Replay it')
  await see(page, 'A colleague adds a node to cedar')
  await press(page, 'button', 'On')
  await find(page, 'link', 'Hand it on as JSON')
})

it('who is told is entered, tried and told of what opens', async () => {
  const page = await visit('/mend/told')
  await see(page, 'Nobody is told yet')
  await fill(page, 'textbox', 'Name', 'the desk')
  await fill(page, 'textbox', 'Where to send', 'ftp://desk.fernhollow.example')
  await fill(page, 'textbox', 'Secret', 'sixteen letters or more')
  await press(page, 'button', 'Tell them')
  await see(page, 'Write where to send as http:// or https://')
  await fill(page, 'textbox', 'Where to send', 'https://desk.fernhollow.example/notices')
  await press(page, 'button', 'Tell them')
  await press(page, 'button', 'Send a test')
  await see(page, 'it answered 204')
})
