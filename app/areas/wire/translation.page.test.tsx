// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { clusterOf } from '~/core/fleet'
import { pagesOf, press, reason } from '../../testing/pages'
import * as translation from './translation'

const pages = pagesOf({ '/wire/translation': translation })
const ofBramble = '/wire/translation?aim=cluster/bramble'

interface Told {
  readonly site: string
  readonly egress: string | null
  readonly used: number
  readonly ports: number
  readonly links: readonly { readonly name: string; readonly mtu: number }[]
  readonly rows: readonly { readonly name: string; readonly flows: readonly string[] }[]
}
const told = async (): Promise<Told> => (await pages.read(ofBramble)) as Told
const form = (): HTMLElement => screen.getByRole('form', { name: 'A new translation' })

describe('as whom a cluster goes out', () => {
  it('without an aim a cluster is chosen', async () => {
    await pages.open('/wire/translation')
    expect(screen.getByText('As whom packets leave')).toBeTruthy()
  })

  it('tells how many source ports are left of the address that all leave by', async () => {
    await pages.open(ofBramble)
    const { egress, used, ports } = await told()
    expect(used).toBeGreaterThan(0)
    const line = within(reason())
      .getByText(egress ?? '')
      .closest('li')
    expect(line?.textContent).toContain((ports - used).toLocaleString('en'))
  })

  it('tells the packet sizes on the way, and where a full one stops first', async () => {
    await pages.open(ofBramble)
    const { links } = await told()
    const first = links.find(({ mtu }) => mtu < 1500)
    for (const { name, mtu } of links) {
      const line = within(reason()).getByText(name).closest('li')
      expect(line?.textContent).toContain(`${mtu.toLocaleString('en')} bytes`)
    }
    expect(reason().textContent).toContain(`stops first at ${first?.name ?? ''}`)
  })
})

describe('where pods keep their addresses', () => {
  it('a range is added by a change', async () => {
    await pages.open(ofBramble)
    const button = screen.getByRole<HTMLButtonElement>('button', { name: 'Draft keeping' })
    expect(button.disabled).toBe(true)
    await userEvent.type(screen.getByLabelText('Range to keep sources towards'), '10.88.4.20/32 ')
    await userEvent.click(button)
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('wire.keep-source')
    expect(intent).toMatchObject({ cluster: 'bramble', add: ['10.88.4.20/32'] })
  })

  it('one that is none is stopped at its field', async () => {
    await pages.open(ofBramble)
    await userEvent.type(screen.getByLabelText('Range to keep sources towards'), 'somewhere')
    await press('Draft keeping')
    const { findings } = await pages.drafted()
    expect(findings.find(({ level }) => level === 'stop')?.field).toMatch(/^add/)
  })

  it('one that is kept can be given up', async () => {
    const [kept] = clusterOf(await pages.gyrarch.fleet.view(), 'bramble')?.keepSource ?? []
    await pages.open(ofBramble)
    const section = screen.getByRole('region', { name: 'Kept sources' })
    if (kept === undefined) {
      expect(section.textContent).toContain('a pod arrives as its node')
      return
    }
    await press('Draft removing it', section)
    const { intent } = await pages.drafted()
    expect(intent).toMatchObject({ cluster: 'bramble', remove: [kept] })
  })
})

describe('a translation', () => {
  it('that calls leave by says which, and is removed by name', async () => {
    const { rows, site } = await told()
    const row = rows.find(({ flows }) => flows.length > 0)
    if (!row) throw new Error('no call leaves by a translation')
    await pages.open(`${ofBramble}&rule=${encodeURIComponent(row.name)}`)
    for (const flow of row.flows) expect(within(reason()).getByText(flow)).toBeTruthy()
    const [remove] = within(reason()).getAllByRole('button', { name: 'Draft removing it' })
    await userEvent.click(remove ?? reason())
    const { kind, intent, findings } = await pages.drafted()
    expect(kind).toBe('wire.translation')
    expect(intent).toMatchObject({ site, remove: [row.name] })
    expect(findings.length).toBeGreaterThan(0)
  })

  it('is made as it is typed: one that keeps the source becomes nothing', async () => {
    const { site } = await told()
    await pages.open(ofBramble)
    await userEvent.type(within(form()).getByLabelText('Name'), 'to the bureau')
    await userEvent.type(within(form()).getByLabelText('To'), '10.88.4.20/32{Enter}')
    await press('Draft the translation')
    const { intent } = await pages.drafted()
    expect(intent).toMatchObject({
      site,
      put: [{ name: 'to the bureau', kind: 'keep', to: ['10.88.4.20/32'], priority: 50 }],
    })
    expect(JSON.stringify(intent)).not.toContain('becomes')
  })

  it('needs a name', async () => {
    await pages.open(ofBramble)
    await press('Draft the translation')
    expect(await within(form()).findByText('Give the translation a name.')).toBeTruthy()
  })
})
