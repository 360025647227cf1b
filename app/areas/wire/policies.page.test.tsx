// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { trafficIn } from '~/core/fleet'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, press, reason } from '../../testing/pages'
import * as policies from './policies'

const pages = pagesOf({ '/wire/policies': policies })
const ofBramble = '/wire/policies?aim=cluster/bramble'
const calledLedger = `${ofBramble}&workload=market/ledger-view`

interface Intent {
  readonly cluster: string
  readonly namespace: string
  readonly name: string
  readonly remove?: boolean
  readonly spec?: {
    readonly podSelector: unknown
    readonly policyTypes: readonly string[]
    readonly ingress: readonly { readonly from: readonly unknown[] }[]
  }
}

const callersOf = async (service: string): Promise<readonly string[]> => {
  const view = await pages.gyrarch.fleet.viewFor(['bramble'], ['cluster/bramble'])
  return trafficIn(view, 'bramble')
    .filter(({ to }) => to === service)
    .map(({ from }) => from)
}
const form = (): HTMLElement => screen.getByRole('region', { name: 'A policy out of calls' })

/** Runs a policy out of the calls of the ledger: the demo begins without any. */
async function kept(name: string): Promise<string> {
  const { draft } = (await pages.read(calledLedger)) as { draft: unknown }
  const intent = { cluster: 'bramble', namespace: 'market', name, spec: draft }
  const { state } = await draftAndRun(pages.gyrarch, 'wire.policy', intent)
  expect(state).toBe('done')
  return `market/${name}`
}

describe('policies', () => {
  it('where there is none, every pod reaches every other', async () => {
    await pages.open(ofBramble)
    expect(document.body.textContent).toContain('No policy: every pod reaches every other.')
  })

  it('without an aim a cluster is chosen first, of all there are', async () => {
    await pages.open('/wire/policies')
    expect(screen.getByText('Who may reach whom')).toBeTruthy()
    const { clusters } = await pages.gyrarch.fleet.view()
    for (const { name } of clusters) expect(screen.getByRole('button', { name })).toBeTruthy()
  })

  it('one is chosen: whom it lets in is drawn, and what it isolates is told', async () => {
    const key = await kept('ledger-readers')
    const read = (await pages.read(ofBramble)) as {
      rows: readonly { key: string; pods: readonly string[]; ingress: readonly string[] | null }[]
    }
    const chosen = read.rows.find((row) => row.key === key)
    if (!chosen) throw new Error(`${key} is not shown`)
    expect(chosen.pods.length).toBeGreaterThan(0)
    expect(chosen.ingress?.length).toBeGreaterThan(0)
    await pages.open(`${ofBramble}&policy=${encodeURIComponent(chosen.key)}`)
    const sketch = screen.getByRole('img', { name: new RegExp(`^${chosen.key}: in from`) })
    for (const peer of chosen.ingress ?? []) expect(sketch.textContent).toContain(peer.slice(0, 30))
    expect(reason().textContent).toContain(chosen.pods[0] ?? '?')
    expect(within(reason()).getByLabelText('Its manifest').textContent).toContain('podSelector')
    // It is left again, and calls can be ticked.
    await press('A new one', reason())
    await waitFor(() => expect(form()).toBeTruthy())
  })

  it('removing it is drafted', async () => {
    const key = await kept('ledger-old')
    const [namespace, name] = key.split('/')
    await pages.open(`${ofBramble}&policy=${key}`)
    await press('Draft removing it')
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('wire.policy')
    expect(intent).toMatchObject({ cluster: 'bramble', namespace, name, remove: true })
  })
})

describe('a policy out of calls', () => {
  it('lets in all who call, unless they are left out', async () => {
    const callers = await callersOf('market/ledger-view')
    expect(callers.length).toBeGreaterThan(0)
    await pages.open(calledLedger)
    for (const caller of callers)
      expect(
        within(form()).getByRole<HTMLInputElement>('checkbox', { name: new RegExp(caller) })
          .checked,
      ).toBe(true)
    expect(within(form()).queryByText(/Cuts off/)).toBeNull()
    await press('Draft the policy')
    const { kind, intent } = await pages.drafted()
    const { namespace, name, spec } = intent as Intent
    expect([kind, namespace, name]).toEqual(['wire.policy', 'market', 'ledger-view-callers'])
    expect(spec?.policyTypes).toEqual(['Ingress'])
    expect(spec?.ingress.flatMap(({ from }) => from)).toHaveLength(new Set(callers).size)
  })

  it('says who is let in by another policy all the same, and then cuts off nobody', async () => {
    const key = await kept('ledger-all')
    const [caller = ''] = await callersOf('market/ledger-view')
    await pages.open(calledLedger)
    await userEvent.click(within(form()).getByRole('checkbox', { name: new RegExp(caller) }))
    expect((await within(form()).findByText(/is still let in by/)).textContent).toContain(key)
    expect(within(form()).queryByText(/Cuts off/)).toBeNull()
    await press('Draft the policy')
    const { findings } = await pages.drafted()
    expect(findings.map(({ says }) => says)).toContain(
      'No call of the last day in bramble changes.',
    )
  })

  it('says whom it would cut off before it is drafted, which is what the draft finds', async () => {
    for (const name of ['ledger-readers', 'ledger-old', 'ledger-all']) {
      const intent = { cluster: 'bramble', namespace: 'market', name, remove: true }
      await draftAndRun(pages.gyrarch, 'wire.policy', intent)
    }
    const [caller = ''] = await callersOf('market/ledger-view')
    await pages.open(calledLedger)
    await userEvent.click(within(form()).getByRole('checkbox', { name: new RegExp(caller) }))
    expect((await within(form()).findByText(/Cuts off/)).textContent).toContain(caller)
    await userEvent.type(within(form()).getByLabelText('Name'), 'nobody')
    await press('Draft the policy')
    const { intent, findings } = await pages.drafted()
    expect((intent as Intent).name).toBe('nobody')
    expect(findings.map(({ says }) => says).join('\n')).toContain(caller.split('/')[1] ?? '?')
  })

  it('another service that is called is chosen from the list', async () => {
    await pages.open(ofBramble)
    expect(within(form()).queryByLabelText('Name')).toBeNull()
    await userEvent.click(within(form()).getByRole('combobox', { name: 'Called' }))
    await userEvent.click(await screen.findByRole('option', { name: 'market/ledger-view' }))
    expect(await within(form()).findByLabelText('Name')).toBeTruthy()
  })
})
