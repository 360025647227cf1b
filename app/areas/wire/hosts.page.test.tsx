// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { parse } from 'yaml'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, press, reason } from '../../testing/pages'
import * as hosts from './hosts'

const pages = pagesOf({ '/wire/hosts': hosts })
const ofBramble = '/wire/hosts?aim=cluster/bramble'

interface Read {
  readonly rows: readonly {
    readonly key: string
    readonly address: string | null
    readonly local: boolean
    readonly ready: number
  }[]
  readonly routes: readonly { readonly host: string; readonly key: string }[]
}
const read = async (): Promise<Read> => (await pages.read(ofBramble)) as Read

const table = (): HTMLElement => screen.getByRole('table', { name: 'Hosts' })
const leading = (): HTMLElement => screen.getByRole('region', { name: 'Lead a host to a service' })
const fill = async (label: string, text: string): Promise<void> => {
  const field = within(leading()).getByLabelText(label)
  await userEvent.clear(field)
  await userEvent.type(field, text)
}

describe('hosts', () => {
  it('without an aim a cluster is chosen first', async () => {
    await pages.open('/wire/hosts')
    expect(screen.getByRole('heading', { name: 'What is reached from outside' })).toBeTruthy()
  })

  it('each is told with its record, where it goes and until when its certificate holds', async () => {
    const { routes } = await read()
    expect(routes.length).toBeGreaterThan(0)
    await pages.open(ofBramble)
    for (const { host } of routes) {
      const row = within(table()).getAllByText(host)[0]?.closest('tr')
      expect(row?.textContent).toMatch(/until \d{4}-\d\d-\d\d/)
    }
  })

  it('a service is explained: who takes its connections and what its pods see', async () => {
    const { rows } = await read()
    const row = rows.find(({ address }) => address !== null)
    await pages.open(`${ofBramble}&service=${encodeURIComponent(row?.key ?? '')}`)
    const part = within(reason())
    expect(part.getByRole('heading', { name: row?.key ?? '' })).toBeTruthy()
    expect(part.getByText(row?.local ? 'the caller’s own' : 'the node that took it')).toBeTruthy()
    await userEvent.click(part.getByRole('button', { name: /^Draft (any node|keeping to nodes)/ }))
    const { kind, intent } = await pages.drafted()
    const { cluster, text } = intent as { cluster: string; text: string }
    expect([kind, cluster]).toEqual(['manifest.apply', 'bramble'])
    expect(parse(text)).toMatchObject({
      kind: 'Service',
      spec: { externalTrafficPolicy: row?.local ? 'Cluster' : 'Local' },
    })
  })

  it('a pool of addresses is changed in its own field, and not drafted as it is', async () => {
    await pages.open(ofBramble)
    const pool = screen.getByRole('region', { name: 'Pool of virtual addresses' })
    const draft = within(pool).getByRole<HTMLButtonElement>('button', { name: 'Draft it' })
    expect(draft.disabled).toBe(true)
    const field = within(pool).getByLabelText<HTMLInputElement>('Pool')
    const before = field.value
    await userEvent.type(field, '0')
    expect(draft.disabled).toBe(false)
    await userEvent.clear(field)
    await userEvent.type(field, before)
    expect(draft.disabled).toBe(true)
  })
})

describe('a host', () => {
  it('is led to a service, with its name record, and is shown once that ran', async () => {
    await pages.open(ofBramble)
    await fill('Host', 'ledger.fernhollow.example')
    await userEvent.click(within(leading()).getByRole('combobox', { name: 'Namespace' }))
    await userEvent.click(await screen.findByRole('option', { name: 'market' }))
    await userEvent.click(within(leading()).getByRole('combobox', { name: 'Service' }))
    await userEvent.click(await screen.findByRole('option', { name: /^ledger-view/ }))
    await press('Draft it', leading())
    const { kind, intent, findings } = await pages.drafted()
    expect(kind).toBe('wire.ingress')
    expect(findings.filter(({ level }) => level === 'stop')).toEqual([])
    const ran = await draftAndRun(pages.gyrarch, kind, intent)
    expect([ran.state, ran.cause?.says]).toEqual(['done', undefined])
    await pages.again(ofBramble)
    const row = within(table()).getByText('ledger.fernhollow.example').closest('tr')
    expect(row?.textContent).toContain('ledger-view')
  })

  it('that no name can be is refused at its field', async () => {
    await pages.open(ofBramble)
    await fill('Host', 'not a name')
    await press('Draft it', leading())
    expect((await within(leading()).findByLabelText('Host')).getAttribute('aria-invalid')).toBe(
      'true',
    )
    expect(screen.queryByTestId('elsewhere')).toBeNull()
  })

  it('is no longer led anywhere by its row', async () => {
    const { routes } = await read()
    const [route] = routes
    await pages.open(ofBramble)
    const row = within(table())
      .getAllByText(route?.host ?? '')[0]
      ?.closest('tr')
    if (!row) throw new Error('no host has a row')
    await userEvent.click(within(row).getByRole('button', { name: 'Draft removing it' }))
    const { kind, intent } = await pages.drafted()
    expect(['manifest.remove', 'wire.ingress']).toContain(kind)
    expect(JSON.stringify(intent)).toContain(route?.key.split('/')[1])
  })
})
