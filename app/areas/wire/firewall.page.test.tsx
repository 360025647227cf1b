// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { FirewallRuleView } from '~/core/fleet'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, press, reason } from '../../testing/pages'
import * as firewall from './firewall'

const pages = pagesOf({ '/wire/firewall': firewall })

type Row = FirewallRuleView & { readonly hits: number; readonly finding: string }
interface Told {
  readonly site: string
  readonly rows: readonly Row[]
}
const told = async (path: string): Promise<Told> => (await pages.read(path)) as Told
const ofSite = (site: string, rule?: string): string =>
  `/wire/firewall?site=${site}${rule === undefined ? '' : `&rule=${rule}`}`

/** A site whose rules somebody has something to say about, and such a rule. */
async function wrongRule(): Promise<{ readonly site: string; readonly row: Row }> {
  for (const { name: site } of (await pages.gyrarch.fleet.view()).sites) {
    const row = (await told(ofSite(site))).rows.find(({ finding }) => finding !== '')
    if (row) return { site, row }
  }
  throw new Error('no rule is wrong')
}

const form = (): HTMLElement => screen.getByRole('form', { name: 'A rule' })
const field = (label: string): HTMLInputElement =>
  within(form()).getByLabelText<HTMLInputElement>(label)

describe('the rules of a site', () => {
  it('stand in the order in which they decide', async () => {
    const { site } = await wrongRule()
    const { rows } = await told(ofSite(site))
    const incoming = rows.filter(({ direction }) => direction === 'in')
    expect(rows.slice(0, incoming.length)).toEqual(incoming)
    const priorities = incoming.map(({ priority }) => priority)
    expect(priorities).toEqual(priorities.toSorted((a, b) => a - b))
  })

  it('that stand in each other’s way are counted and named, with the reason', async () => {
    const { site, row } = await wrongRule()
    await pages.open(ofSite(site))
    const { rows } = await told(ofSite(site))
    const wrong = rows.filter(({ finding }) => finding !== '').length
    expect(within(reason()).getByRole('heading', { level: 2 }).textContent).toBe(
      wrong === 1 ? '1 rule wants a look' : `${wrong} rules want a look`,
    )
    expect(within(reason()).getByText(row.finding)).toBeTruthy()
  })

  it('another site is another firewall', async () => {
    const { site } = await wrongRule()
    await pages.open(ofSite('kilnlane'))
    expect(screen.getByRole('heading', { level: 1 }).textContent).toBe('Firewall of kilnlane')
    await pages.again(ofSite(site))
    expect(screen.getByRole('heading', { level: 1 }).textContent).toBe(`Firewall of ${site}`)
  })
})

describe('a rule', () => {
  it('is switched off by a change that names it alone', async () => {
    const { site, row } = await wrongRule()
    await pages.open(ofSite(site, row.name))
    await press('Draft switching it off', reason())
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('wire.firewall')
    expect(intent).toMatchObject({ site, disable: [row.name], enable: [], put: [], remove: [] })
  })

  it('once off is struck through, and can be switched on', async () => {
    const { site, row } = await wrongRule()
    const { state } = await draftAndRun(pages.gyrarch, 'wire.firewall', {
      site,
      disable: [row.name],
    })
    expect(state).toBe('done')
    await pages.open(ofSite(site, row.name))
    expect(reason().textContent).toContain('it is off')
    await press('Draft switching it on', reason())
    const { id, intent } = await pages.drafted()
    expect(intent).toMatchObject({ site, enable: [row.name], disable: [] })
    await pages.gyrarch.changes.discard(id)
  })

  it('is changed with everything that it says, but what was typed', async () => {
    const { site } = await wrongRule()
    const { rows } = await told(ofSite(site))
    const row = rows.find(({ enabled }) => enabled !== false)
    if (!row) throw new Error('every rule is off')
    await pages.open(ofSite(site, row.name))
    expect(screen.getByRole('heading', { name: `Change ${row.name}` })).toBeTruthy()
    expect(field('Name').value).toBe(row.name)
    const priority = field('Priority')
    await userEvent.clear(priority)
    await userEvent.type(priority, '7')
    await press('Draft the rule')
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('wire.firewall')
    const [put] = (intent as { put: FirewallRuleView[] }).put
    expect(put).toMatchObject({
      name: row.name,
      priority: 7,
      direction: row.direction,
      action: row.action,
      ...(row.from ? { from: row.from } : {}),
      ...(row.ports ? { ports: row.ports } : {}),
    })
  })
})

describe('a new rule', () => {
  it('needs a name', async () => {
    await pages.open(ofSite('mossgate'))
    await press('Draft the rule')
    expect(await within(form()).findByText('Give the rule a name.')).toBeTruthy()
    expect(screen.queryByTestId('elsewhere')).toBeNull()
  })

  it('is drafted as it was typed, and judged by the calls of the last day', async () => {
    await pages.open(ofSite('mossgate'))
    await userEvent.type(field('Name'), 'lamp')
    await userEvent.type(field('From'), '10.20.0.0/16')
    await userEvent.type(field('Ports'), '8080')
    await press('Draft the rule')
    const { intent } = await pages.drafted()
    expect(intent).toMatchObject({
      site: 'mossgate',
      put: [
        {
          name: 'lamp',
          direction: 'in',
          action: 'deny',
          from: ['10.20.0.0/16'],
          protocol: 'tcp',
          ports: ['8080'],
        },
      ],
    })
  })
})
