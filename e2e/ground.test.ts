/** Ground and raise as a person takes them: a hall with virtual addresses, a failure mended on the way, machines that join. */
import type { Page } from 'puppeteer-core'
import { expect, it } from 'vitest'
import { choose, fill, goTo, press, runWhenReady, see } from './browser'
import type { ApiChange } from './server'
import { suite } from './suite'

const served = suite({ refusals: true })
const { visit, advance } = served
const idOf = (page: Page): string => new URL(page.url()).pathname.split('/').pop() ?? ''
const whenEnabled = (page: Page, name: string) =>
  page.waitForFunction(
    (wanted) =>
      [...document.querySelectorAll('button')].some(
        (button) => button.textContent === wanted && !button.disabled,
      ),
    {},
    name,
  )

it('a three-zone hall is raised from its template, once the missing route is added by its remedy; a host dies, and what the packing said happens', async () => {
  const page = await visit('/raise')
  await see(page, 'three-zone-hall')
  await page.evaluate(() => {
    const card = [...document.querySelectorAll('.templates li')].find((element) =>
      element.textContent?.includes('three-zone-hall'),
    )
    card?.querySelector('button')?.click()
  })
  await see(page, 'The cluster has no name yet.')
  const draft = idOf(page)
  await fill(page, 'textbox', 'Name', 'birch')
  await see(page, 'mossgate frontage has no route to mossgate nodes')
  await see(page, ', kept')
  await press(page, 'button', 'Add the route to 10.20.16.0/22 by 10.20.40.1')
  await see(page, 'Nothing stands against it')
  await whenEnabled(page, 'Run')
  await press(page, 'button', 'Run')
  await see(page, 'running')
  await advance(60)
  await see(page, 'Done and proven')
  await press(page, 'link', `Back to ${draft}`)
  await runWhenReady(page)
  await advance(2400)
  await see(page, 'It can be reached from outside', 60_000)
  await see(page, 'Done and proven')
  const change = await served.api.get<ApiChange>(`/changes/${draft}`)
  expect(change.proof?.every((proof) => proof.holds)).toBe(true)
  const csv = await fetch(`${served.url}/api/v1/changes/${draft}/inventory?format=csv`).then(
    (answer) => answer.text(),
  )
  expect(csv.split('\n').filter((line) => line.startsWith('machine,birch-')).length).toBe(9)

  // The packing view says where machines go; then the host really dies.
  await goTo(page, `${served.url}/ground/packing?site=mossgate&host=m-b-1`)
  await see(page, 'If m-b-1 dies')
  const said = await page.evaluate(() =>
    [...document.querySelectorAll('.facts li')].map((row) =>
      (row.textContent ?? '').replace(/\s+/g, '').split('→'),
    ),
  )
  expect(said.length).toBeGreaterThan(1)
  await goTo(page, `${served.url}/faults`)
  await page.waitForFunction(() => document.documentElement.dataset['awake'] === 'yes')
  await choose(page, 'Fault', 'A host of a hall dies with everything on it.')
  await choose(page, 'About', 'host/mossgate/m-b-1')
  await press(page, 'button', 'Put it in')
  // One was there from the beginning: the new account's.
  await see(page, '2 active')
  // Looked at before health keeping, which waits five minutes, makes anything anew elsewhere.
  await advance(180)
  const { hosts } = await served.api.get<{
    hosts: { name: string; machines: { name: string }[] }[]
  }>('/sites/mossgate/packing')
  for (const [machine, to] of said)
    expect(
      hosts.find((host) => host.name === to)?.machines.map((eachMachine) => eachMachine.name),
      `${machine ?? ''} on ${to ?? ''}`,
    ).toContain(machine)
  await advance(1500)
  const { nodes } = await served.api.get<{ nodes: { name: string; state: string }[] }>(
    '/clusters/birch/nodes',
  )
  expect(nodes.filter((node) => node.state !== 'well')).toEqual([])
})

it('a silent DHCP server halts a raise; its remedy is another change, and the run goes on after it', async () => {
  const { ask } = served.api
  const drafted = await ask<ApiChange>('POST', '/changes', {
    kind: 'cluster.raise',
    intent: {
      name: 'rowan',
      site: 'mossgate',
      release: '1.33.2',
      controlPlane: { kind: 'own', count: 1 },
      pools: [{ name: 'general', size: 'rack-4', count: 1 }],
      ranges: { pods: '10.150.0.0/18', services: '10.151.0.0/20' },
    },
  })
  await ask('POST', `/changes/${drafted.json.id}/run`, {
    accept: drafted.json.findings.map((finding) => finding.key),
  })
  await ask('POST', '/faults', {
    fault: 'dhcp-silent',
    about: 'network/mossgate/mossgate nodes',
    mode: 'permanent',
  })
  await advance(2400)
  const page = await visit(`/changes/${drafted.json.id}`)
  await see(page, 'got no address: the DHCP server of mossgate nodes does not answer')
  await see(page, 'no offer within 60 s, six requests sent')
  await press(page, 'button', 'Restart the DHCP server of mossgate nodes, then go on')
  await see(page, 'Restart a service of a site')
  await whenEnabled(page, 'Run')
  await press(page, 'button', 'Run')
  await see(page, 'running')
  await advance(120)
  await press(page, 'button', `Go on with ${drafted.json.id}`)
  await see(page, 'Raise rowan')
  await advance(2400)
  await see(page, 'Done and proven', 60_000)
})

it('a cluster is raised from three machines that stand there, by join scripts; the one with the wrong card is caught', async () => {
  const page = await visit('/ground?site=mossgate')
  await press(page, 'button', 'Raise a cluster here')
  await fill(page, 'textbox', 'Name', 'oak')
  await press(page, 'button', 'Raise it on those')
  await page.waitForFunction(
    () =>
      document.querySelectorAll('input[value^="oak-"]').length >= 3 ||
      document.body.innerText.includes('Nothing stands against it'),
  )
  await runWhenReady(page)
  const id = idOf(page)
  await advance(60)
  await see(page, '0 of 3 machines have called')
  await see(page, '2 more control-plane machines of 3 must call before there is a majority.')
  const callFrom = async (machine: string): Promise<void> => {
    await page.waitForFunction(
      (wanted) =>
        [...document.querySelectorAll('.join')].some(
          (row) =>
            row.textContent?.includes(wanted) &&
            [...row.querySelectorAll('button')].some(
              (button) => button.textContent === 'Run it on the stand-in',
            ),
        ),
      { polling: 100 },
      machine,
    )
    await page.evaluate((wanted) => {
      const row = [...document.querySelectorAll('.join')].find((element) =>
        element.textContent?.includes(wanted),
      )
      const button = [...(row?.querySelectorAll('button') ?? [])].find(
        (button) => button.textContent === 'Run it on the stand-in',
      )
      button?.click()
    }, machine)
  }
  await callFrom('m-spare-1')
  await see(page, '1 of 3 machines have called')
  await callFrom('m-spare-3')
  await see(page, '2 of 3 machines have called')
  await callFrom('m-spare-2')
  await see(page, '10.20.16.22 is on eno1: use eno1.')
  await advance(1200)
  await press(page, 'button', 'Use eno1 for m-spare-2, go on')
  await page.waitForFunction(
    () =>
      ![...document.querySelectorAll('button')].some(
        (button) => button.textContent === 'Use eno1 for m-spare-2, go on',
      ),
  )
  await callFrom('m-spare-2')
  await expect
    .poll(
      async () =>
        (
          await served.api.get<{ machines: { state: string }[] }>(`/changes/${id}/joins`)
        ).machines.every((machine) => machine.state === 'taken'),
      { timeout: 20_000 },
    )
    .toBe(true)
  await advance(2400)
  await see(page, 'Done and proven', 60_000)
})

it('a block is carved by dragging over what is free, and ranges come in from CSV with the bad lines named', async () => {
  const page = await visit('/ground/addresses?domain=fernhollow&within=10.44.0.0%2F20')
  const strip = await page.waitForSelector('svg[data-drags="true"]')
  const box = await strip?.boundingBox()
  if (!box) throw new Error('the strip is not drawn')
  await page.mouse.move(box.x + box.width * 0.74, box.y + 10)
  await page.mouse.down()
  await page.mouse.move(box.x + box.width * 0.9, box.y + 10, { steps: 5 })
  await page.mouse.up()
  await see(page, '10.44.12.0/23')
  await fill(page, 'textbox', 'What it is for', 'potting shed')
  await press(page, 'button', 'Draft entering it')
  await see(page, 'Enter ranges into the address ledger')
  await whenEnabled(page, 'Run')
  await press(page, 'button', 'Run')
  await see(page, 'Done and proven')
  const { entries } = await served.api.get<{ entries: { range: string; name: string }[] }>(
    '/ledger',
  )
  expect(entries).toContainEqual(
    expect.objectContaining({ range: '10.44.12.0/23', name: 'potting shed' }),
  )
  const read = await served.api.ask<{ good: unknown[]; bad: { line: number }[] }>(
    'POST',
    '/ledger/csv',
    {
      text: 'domain,range,name\nfernhollow,10.99.0.0/24,looms\nfernhollow,10.99.1.1/24,host bits\n',
    },
  )
  expect([read.json.good.length, read.json.bad.map((bad) => bad.line)]).toEqual([1, [3]])
})
