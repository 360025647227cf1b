/** Shape as a person takes it: a replica that does not fit, a cluster that rests, a roll-out that cannot finish, layers and drift. */
import { CoreV1Api, KubeConfig } from '@kubernetes/client-node'
import { expect, it } from 'vitest'
import { choose, fill, find, goTo, press, see } from './browser'
import type { ApiChange } from './server'
import { suite } from './suite'

const served = suite({ refusals: true })
const { visit, advance } = served
const to = async (iso: string): Promise<void> => {
  const { now } = await served.api.get<{ now: string }>('/clock')
  await advance((Date.parse(iso) - Date.parse(now)) / 1000)
}
const run = async (
  kind: string,
  intent: unknown,
  more: Record<string, unknown> = {},
): Promise<ApiChange> => {
  const { ask, runOut } = served.api
  const drafted = await ask<ApiChange>('POST', '/changes', { kind, intent })
  const started = await ask('POST', `/changes/${drafted.json.id}/run`, {
    accept: drafted.json.findings.map((finding) => finding.key),
    ...more,
  })
  expect(started.status, JSON.stringify(started.json)).toBe(202)
  return runOut(drafted.json.id)
}

const objects = async (cluster: string, kind: string) =>
  (
    await served.api.get<{
      objects: {
        metadata: { name: string; labels?: Record<string, string> }
        spec: { replicas?: number }
        status: { readyReplicas?: number }
      }[]
    }>(`/clusters/${cluster}/objects?kind=${kind}`)
  ).objects

it('one more replica of the ledger does not fit; the board says why, and the smallest remedy makes it fit', async () => {
  const page = await visit('/shape/board?aim=cluster/cedar')
  await see(page, 'nothing waits')
  await choose(page, 'Workload', 'gathering/gathering-ledger')
  await find(page, 'spinbutton', 'Replicas')
  await press(page, 'button', 'Try')
  await see(page, '1 pod waits')
  await see(page, '6 are short of cpu')
  await press(page, 'button', '300 m less CPU in gathering-ledger')
  await see(page, 'nothing waits')
  await see(page, 'gathering-ledger asks for 1900m cpu')
  // As one of the nodes is dragged out, what stands against it is said: all three loops are needed.
  const head = await page.$('button.head[aria-label^="cedar-general-1:"]')
  const out = await page.$('.board-out')
  const from = await head?.boundingBox()
  const goal = await out?.boundingBox()
  if (!from || !goal) throw new Error('no node to drag, or nowhere to drag it to')
  await page.mouse.move(from.x + 5, from.y + 5)
  await page.mouse.down()
  await page.mouse.move(from.x + 30, from.y + 20, { steps: 4 })
  await page.mouse.move(goal.x + goal.width / 2, goal.y + goal.height / 2, { steps: 8 })
  await page.mouse.up()
  await see(page, 'cedar-general-1 drained')
  await see(page, 'Disruption budget climate/climate-loop can never let one go')
})

it('dill rests by its calendar; what a month saves counts the change of the clocks', async () => {
  const page = await visit('/shape/rest?aim=cluster/dill')
  await see(page, 'March 2026: runs 308 of 743 h')
  await see(page, '153.99 saved')
  await to('2026-03-02T19:10:00Z')
  await see(page, 'rests since')
  await to('2026-03-03T05:10:00Z')
  await page.waitForFunction(() => !document.body.innerText.includes('rests since'))
  const { clusters } = (
    await served.api.get<{ sites: { clusters: { name: string; state: string }[] }[] }>('/fleet')
  ).sites.reduce<{ clusters: { name: string; state: string }[] }>(
    (all, site) => ({ clusters: [...all.clusters, ...site.clusters] }),
    { clusters: [] },
  )
  expect(clusters.find((cluster) => cluster.name === 'dill')?.state).toBe('well')
})

it('a roll-out whose image is missing stops at its limit, is explained down to the image, and is undone', async () => {
  const text = (tag: number): string =>
    `apiVersion: apps/v1\nkind: Deployment\nmetadata: {name: seed-clerk, namespace: market}\nspec:\n  replicas: 4\n  selector: {matchLabels: {app: seed-clerk}}\n  template:\n    metadata: {labels: {app: seed-clerk}}\n    spec: {containers: [{name: clerk, image: "registry.fernhollow.example/market/market-desk:${tag}", resources: {requests: {cpu: 50m, memory: 64Mi}}}]}\n`
  expect((await run('manifest.apply', { cluster: 'dill', text: text(2) })).state).toBe('done')
  const halted = await run('manifest.apply', { cluster: 'dill', text: text(9) })
  expect(halted.state).toBe('halted')
  const page = await visit(`/changes/${halted.id}`)
  await see(page, 'market-desk:9: not found in its registry')
  // Three of four still serve while it is stuck.
  expect(
    (await objects('dill', 'Deployment')).find((object) => object.metadata.name === 'seed-clerk')
      ?.status.readyReplicas,
  ).toBe(3)
  await press(page, 'button', 'Take back')
  await page.waitForFunction(
    () =>
      ![...document.querySelectorAll('button')].some(
        (button) => button.textContent === 'Take back',
      ),
  )
  expect((await served.api.runOut(halted.id)).state).toBe('taken-back')
  await see(page, 'taken back')
  await advance(120)
  expect(
    (await objects('dill', 'Deployment')).find((object) => object.metadata.name === 'seed-clerk')
      ?.status.readyReplicas,
  ).toBe(4)
})

it('layers are rendered and compared; an edit by hand is drift, and settled field by field', async () => {
  const page = await visit('/shape/manifests?view=layers')
  await see(page, 'stage: development')
  await press(page, 'button', 'compared')
  await see(page, 'spec.replicas')
  await press(page, 'button', 'Draft applying it to dill')
  await see(page, 'Nothing stands against it')
  await page.waitForFunction(() =>
    [...document.querySelectorAll('button')].some(
      (button) => button.textContent === 'Run' && !button.disabled,
    ),
  )
  await press(page, 'button', 'Run')
  await see(page, 'steps done')
  await advance(200)
  await see(page, 'Done and proven')
  // Somebody scales it by hand.
  const hand =
    'apiVersion: apps/v1\nkind: Deployment\nmetadata: {name: seed-desk, namespace: market}\nspec: {replicas: 3}\n'
  const key = 'Deployment/market/seed-desk /spec/replicas'
  expect(
    (
      await run('manifest.apply', {
        cluster: 'dill',
        text: hand,
        manager: 'hand',
        resolve: { [key]: 'take' },
      })
    ).state,
  ).toBe('done')
  expect(
    (await objects('dill', 'Deployment')).find((object) => object.metadata.name === 'seed-desk')
      ?.spec.replicas,
  ).toBe(3)
  await goTo(page, `${served.url}/shape/manifests?view=layers`)
  await page.waitForFunction(() => document.documentElement.dataset['awake'] === 'yes')
  await press(page, 'button', 'drift')
  await see(page, 'written by')
  await find(page, 'cell', 'hand')
  await press(page, 'button', 'Draft applying it to dill')
  await see(page, 'as hand wrote it')
  await press(page, 'button', 'Keep theirs: 3')
  await page.waitForFunction(() => !document.body.innerText.includes('as hand wrote it'))
  expect(
    (await objects('dill', 'Deployment')).find((object) => object.metadata.name === 'seed-desk')
      ?.spec.replicas,
  ).toBe(3)
})

it('an access file is made for whoever may do little, where that is looked up, and called back', async () => {
  const page = await visit('/shape/namespaces?aim=cluster/cedar')
  await choose(page, 'Subject', 'Group gathering-team')
  await fill(page, 'textbox', 'Their name', 'maple')
  const given = page.waitForResponse((response) => response.url().includes('/do/access'))
  await press(page, 'button', 'Make an access file')
  await see(page, 'Made for maple.')
  const answer = JSON.parse((await (await given).text()).split('\n')[0] ?? '[]') as unknown[]
  const file = answer.find((part) => typeof part === 'string' && part.includes('kind: Config'))
  const config = new KubeConfig()
  config.loadFromString(String(file))
  const core = config.makeApiClient(CoreV1Api)
  const code = (call: Promise<unknown>) =>
    call.then(
      () => 200,
      (error: { code?: number }) => error.code,
    )
  const pods = (namespace: string) => code(core.listNamespacedPod({ namespace }))
  expect([await pods('gathering'), await pods('platform')]).toEqual([200, 403])
  await press(page, 'button', 'Call back earlier ones')
  await see(page, 'What maple was given before is refused from now on.')
  expect(await pods('gathering')).toBe(401)
})
