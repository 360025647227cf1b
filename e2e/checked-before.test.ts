/** What is found before anything is touched: one cause for many silent nodes, pods without a place, later runs that stand on an earlier one. */
import { expect, it } from 'vitest'
import { press, see } from './browser'
import type { ApiChange } from './server'
import { suite } from './suite'

const served = suite({ refusals: true })
const { visit, advance } = served

const draft = async (kind: string, intent: unknown): Promise<ApiChange> =>
  (await served.api.ask<ApiChange>('POST', '/changes', { kind, intent })).json

const run = async (kind: string, intent: unknown): Promise<string> => {
  const drafted = await draft(kind, intent)
  await served.api.ask('POST', `/changes/${drafted.id}/run`, {
    accept: drafted.findings.map((finding) => finding.key),
  })
  expect((await served.api.runOut(drafted.id)).state).toBe('done')
  return drafted.id
}

it('seven silent nodes are one line with one remedy; nothing is restarted, and the remedy heals', async () => {
  await run('wire.firewall', { site: 'palisade-east', enable: ['uplink-closed'] })
  await advance(1800)
  const fleet = await visit('/fleet')
  await see(fleet, '7 nodes, one cause: rule uplink-closed.')
  const page = await visit('/clusters/bramble')
  await see(
    page,
    '7 nodes, one cause: rule uplink-closed. Nothing is restarted or replaced for it.',
  )
  await press(page, 'button', 'Switch uplink-closed of palisade-east off')
  await page.waitForFunction(() => location.pathname.startsWith('/changes/'))
  const id = new URL(page.url()).pathname.split('/')[2] ?? ''
  const drafted = await served.api.get<ApiChange>(`/changes/${id}`)
  await served.api.ask('POST', `/changes/${id}/run`, {
    accept: drafted.findings.map((finding) => finding.key),
  })
  expect((await served.api.runOut(id)).state).toBe('done')
  await advance(120)
  const { changes } = await served.api.get<{ changes: readonly { label: string }[] }>('/changes')
  expect(changes.filter(({ label }) => /^(restart|replace) /.test(label))).toEqual([])
})

it('each object of a manifest is shown its verdicts before it runs', async () => {
  const drafted = await draft('manifest.apply', {
    cluster: 'cedar',
    text: `apiVersion: networking.k8s.io/v1
kind: NetworkPolicy
metadata: { name: only-intake, namespace: climate }
spec:
  podSelector: { matchLabels: { app: climate-loop } }
  policyTypes: [Ingress]
  ingress: [{ from: [{ podSelector: { matchLabels: { app: sensor-intake } } }] }]
---
apiVersion: v1
kind: Service
metadata: { name: seed-lamp, namespace: climate }
spec: { type: LoadBalancer, selector: { app: sensor-intake }, ports: [{ port: 80 }] }
`,
  })
  const page = await visit(`/changes/${drafted.id}`)
  await see(page, 'Object by object')
  const cells = await page.$$eval('.verdict-table tbody tr', (rows) =>
    rows.map((row) => [...row.querySelectorAll('td')].map((cell) => cell.innerText.trim())),
  )
  expect(cells).toHaveLength(2)
  expect(cells[0]?.[5]).toContain('no longer arrives: irrigation/watering-planner')
  expect(cells[1]?.[4]).toMatch(/gets 10\.20\.40\./)
})

it('forty pods that find no place are told of before they run, with what is proven to help', async () => {
  const drafted = await draft('manifest.apply', {
    cluster: 'dill',
    text: `apiVersion: apps/v1
kind: Deployment
metadata: { name: seed-desk, namespace: platform }
spec:
  replicas: 40
  selector: { matchLabels: { app: seed-desk } }
  template:
    metadata: { labels: { app: seed-desk } }
    spec:
      containers:
        - name: desk
          image: registry.fernhollow.example/market/market-desk:2
          resources: { requests: { cpu: 300m, memory: 128Mi } }
`,
  })
  const page = await visit(`/changes/${drafted.id}`)
  await see(page, 'Deployment platform/seed-desk: of 40 pods')
  await see(page, 'would wait. None of')
  const finding = drafted.findings.find(({ rule }) => rule.startsWith('place.'))
  const remedy = finding?.remedies[0]?.says ?? ''
  expect(remedy).toMatch(/^Run \d+ of them$/)
  await press(page, 'button', remedy)
  await page.waitForFunction(() => !document.body.innerText.includes('of 40 pods'))
  const fewer = await served.api.get<ApiChange>(`/changes/${drafted.id}`)
  expect(fewer.findings.filter(({ rule }) => rule.startsWith('place.'))).toEqual([])
})

it('a run that others have built on is taken back with them, and they are named first', async () => {
  const apply = (text: string) =>
    run('manifest.apply', { cluster: 'dill', text, manager: 'team-files' })
  const made = await apply('apiVersion: v1\nkind: Namespace\nmetadata: { name: trials }\n')
  const wrote = await apply(
    'apiVersion: v1\nkind: ConfigMap\nmetadata: { name: notes, namespace: trials }\ndata: { sown: peas }\n',
  )
  const refused = await served.api.ask<{ error: { fields: readonly { says: string }[] } }>(
    'POST',
    `/changes/${made}/take-back`,
    {},
  )
  expect(refused.status).toBe(409)
  expect(refused.json.error.fields.map(({ says }) => says)).toEqual([wrote])
  const page = await visit(`/changes/${made}`)
  await see(page, '1 later run stands on this one and would go first')
  await see(page, `${wrote} apply ConfigMap trials/notes to dill`)
  await press(page, 'button', 'Take back with 1 later run')
  const stateOf = async (id: string) => (await served.api.get<ApiChange>(`/changes/${id}`)).state
  for (let i = 0; i < 60 && (await stateOf(made)) !== 'taken-back'; i++) await advance(10)
  expect([await stateOf(wrote), await stateOf(made)]).toEqual(['taken-back', 'taken-back'])
})
