/** Wire as a person takes it: a partner that refuses, a policy out of calls, traffic moved and turned back, a rule that cuts the API off. */
import type { Page } from 'puppeteer-core'
import { expect, it } from 'vitest'
import { fill, press, pressToDraft, see } from './browser'
import type { ApiChange } from './server'
import { suite } from './suite'

const served = suite({ refusals: true })
const { visit, advance } = served

/** Accepts every caution of a draft, types the guarded name, runs it and waits until it has ended. */
async function runDraft(page: Page, name: string): Promise<ApiChange> {
  await page.waitForFunction(() => location.pathname.startsWith('/changes/'))
  await see(page, `${name} is guarded: type its name`)
  for (const box of await page.$$('aside input[type=checkbox]'))
    if (!(await box.evaluate((element) => element.checked))) await box.click()
  await fill(page, 'textbox', `${name} is guarded: type its name`, name)
  await page.waitForFunction(() =>
    [...document.querySelectorAll('button')].some(
      (button) => button.textContent === 'Run' && !button.disabled,
    ),
  )
  await press(page, 'button', 'Run')
  await see(page, 'steps done')
  const id = new URL(page.url()).pathname.split('/')[2] ?? ''
  return served.api.runOut(id)
}

interface Fleet {
  readonly sites: readonly {
    readonly clusters: readonly {
      readonly name: string
      readonly pools: readonly { readonly nodes: readonly { readonly state: string }[] }[]
    }[]
  }[]
}
const nodeStates = async (): Promise<readonly string[]> =>
  (await served.api.get<Fleet>('/fleet')).sites
    .flatMap((site) => site.clusters)
    .find((cluster) => cluster.name === 'bramble')
    ?.pools.flatMap((pool) => pool.nodes.map((node) => node.state)) ?? []
const expected = async () =>
  (
    await served.api.get<{ expectations: readonly { name: string; holds: boolean }[] }>(
      '/expectations',
    )
  ).expectations

it('bramble cannot reach the weather bureau: whose address it carries is shown, and the narrowest remedy makes it answer', async () => {
  const page = await visit('/wire?aim=cluster/bramble')
  await see(page, '1 call fails')
  await see(page, 'ends at acceptance: weather-bureau')
  await press(page, 'link', 'Walk it')
  await see(page, 'Dropped at acceptance: weather-bureau')
  await see(page, 'and this arrives as 10.44.')
  await fill(page, 'textbox', 'Name of the expectation', 'the loop reaches the bureau')
  await press(page, 'button', 'Is to arrive')
  await see(page, 'the loop reaches the bureau')
  expect(await expected()).toMatchObject([{ name: 'the loop reaches the bureau', holds: false }])
  await see(page, 'Let bramble keep its pods’ addresses towards 10.88.4.20/32')
  await pressToDraft(page, 'Draft it')
  await see(page, 'climate/climate-loop to 10.88.4.20:8443 would get through')
  const done = await runDraft(page, 'bramble')
  expect(done.state).toBe('done')
  expect(done.proof?.map((proof) => [proof.says, proof.holds])).toContainEqual([
    'the loop reaches the bureau: reached',
    true,
  ])
  const after = await visit(
    '/wire/walk?aim=cluster/bramble&from=climate/climate-loop&to=bureau.fernhollow.example&port=8443',
  )
  await see(after, 'Delivered, and the answer comes back')
  const again = await visit('/wire?aim=cluster/bramble')
  await see(again, 'Every call gets through')
})

it('the broker must not reach the ledger and the desk must: a policy is ticked out of the calls that were seen', async () => {
  const page = await visit('/wire/policies?aim=cluster/bramble&workload=market/ledger-view')
  await see(page, 'market/broker-bot')
  await page.evaluate(() =>
    [...document.querySelectorAll('label')]
      .find((label) => label.textContent?.includes('market/broker-bot'))
      ?.querySelector('input')
      ?.click(),
  )
  await see(page, 'Cuts off market/broker-bot.')
  await press(page, 'button', 'Draft the policy')
  await see(
    page,
    'market/broker-bot to market/ledger-view:8443 would end at policy-in (market/ledger-view-callers)',
  )
  expect((await runDraft(page, 'bramble')).state).toBe('done')
  const calls = await visit('/wire/calls?aim=cluster/bramble')
  await see(calls, '1 call is refused')
  await see(calls, 'policy in: market/ledger-view-callers')
  const walk = await visit(
    '/wire/walk?aim=cluster/bramble&from=market/market-desk-v1&to=market/ledger-view&port=8443',
  )
  await see(walk, 'Delivered, and the answer comes back')
})

it('the desk moves to its new version in five steps, and turns back by itself when that fails', async () => {
  const page = await visit('/wire/traffic?aim=cluster/bramble')
  await press(page, 'button', 'Shift its traffic')
  await fill(page, 'spinbutton', 'Weight of market-desk-v1', '0')
  await press(page, 'button', 'Draft the shift')
  await see(page, '10 steps')
  const moved = await runDraft(page, 'bramble')
  expect(moved.state).toBe('done')
  expect(moved.steps.filter((step) => step.id.startsWith('watch:'))).toHaveLength(5)
  await served.api.ask('POST', '/faults', {
    fault: 'answers-fail',
    about: 'workload/bramble/market/market-desk-v1',
    mode: 'permanent',
    times: 1,
    afterSeconds: 0,
  })
  const drafted = await served.api.ask<ApiChange>('POST', '/changes', {
    kind: 'wire.shift',
    intent: {
      cluster: 'bramble',
      route: 'market/market-desk',
      weights: { 'market-desk-v1': 1, 'market-desk-v2': 0 },
    },
  })
  await served.api.ask('POST', `/changes/${drafted.json.id}/run`, {
    accept: drafted.json.findings.map((finding) => finding.key),
    confirm: 'bramble',
  })
  const back = await served.api.runOut(drafted.json.id)
  expect(back.state).toBe('taken-back')
  const run = await visit(`/changes/${drafted.json.id}`)
  await see(run, 'taken back')
  const traffic = await visit('/wire/traffic?aim=cluster/bramble&service=market/market-desk-v2')
  await see(traffic, 'market/market-desk-v2')
})

it('a rule that blocks the way to the API turns nodes not ready; the walk names it, and switching it off heals', async () => {
  const page = await visit('/wire/firewall?aim=cluster/bramble&rule=uplink-closed')
  await press(page, 'button', 'Draft switching it on')
  await see(
    page,
    '7 nodes of bramble would no longer reach bramble-api (firewall-out: uplink-closed)',
  )
  await page.waitForFunction(() => location.pathname.startsWith('/changes/'))
  const drafted = await served.api.get<ApiChange>(
    `/changes/${new URL(page.url()).pathname.split('/')[2] ?? ''}`,
  )
  await served.api.ask('POST', `/changes/${drafted.id}/run`, {
    accept: drafted.findings.map((finding) => finding.key),
  })
  expect((await served.api.runOut(drafted.id)).state).toBe('done')
  await advance(70)
  expect(new Set(await nodeStates())).toEqual(new Set(['broken']))
  const walk = await visit(
    '/wire/walk?aim=cluster/bramble&from=bramble-general-1&to=bramble-api&port=443',
  )
  await see(walk, 'Dropped at firewall out: uplink-closed')
  await see(walk, 'Switch uplink-closed of palisade-east off')
  const off = await served.api.ask<ApiChange>('POST', '/changes', {
    kind: 'wire.firewall',
    intent: { site: 'palisade-east', disable: ['uplink-closed'] },
  })
  await served.api.ask('POST', `/changes/${off.json.id}/run`, {
    accept: off.json.findings.map((finding) => finding.key),
  })
  expect((await served.api.runOut(off.json.id)).state).toBe('done')
  await advance(10)
  expect((await nodeStates()).every((state) => state !== 'broken')).toBe(true)
})

it('what pods ask, as whom they go out and what is reached from outside is told', async () => {
  const names = await visit(
    '/wire/names?aim=cluster/bramble&pod=market/broker-bot&name=ledger-view',
  )
  await see(names, 'ledger-view.market.svc.cluster.local')
  await see(names, 'Answered by the name service of bramble')
  const out = await visit('/wire/translation?aim=cluster/bramble')
  await see(out, 'becomes 172.31.250.3')
  await see(out, 'the overlay takes 50')
  const hosts = await visit('/wire/hosts?aim=cluster/bramble&service=platform/ingress')
  await see(hosts, '198.51.100.1:443')
  await see(hosts, 'the node that took it')
  const text = await (await fetch(`${served.url}/api/v1/clusters/bramble/metrics`)).text()
  expect(text).toContain(
    'requests_total{cluster="bramble",caller="platform/ingress",service="market/market-desk-v2",port="8080"}',
  )
  expect(text.endsWith('# EOF\n')).toBe(true)
})
