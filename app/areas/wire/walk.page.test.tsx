// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, press, reason } from '../../testing/pages'
import * as walk from './walk'

const pages = pagesOf({ '/wire/walk': walk })
const ofBramble = '/wire/walk?aim=cluster/bramble'
const toBureau = `${ofBramble}&from=climate/climate-loop&to=weather-bureau&port=8443`
const toLedger = `${ofBramble}&from=market/market-desk-v1&to=market/ledger-view&port=8443`

const verdict = (): string =>
  screen.getByRole('heading', { level: 2, name: /elivered|ropped/ }).textContent
const keeping = (): HTMLElement => within(reason()).getByRole('region', { name: 'Keep it' })

describe('a walk', () => {
  it('is not begun before both ends are given', async () => {
    await pages.open(ofBramble)
    expect(within(reason()).getByText('Who reaches whom')).toBeTruthy()
    expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Other way' }).disabled).toBe(true)
  })

  it('that is delivered shows every hop, and each can be looked at', async () => {
    await pages.open(toLedger)
    const { answer } = (await pages.read(toLedger)) as {
      answer: { verdict: string; hops: readonly { hop: string; says: string }[] }
    }
    expect(answer.verdict).toBe('delivered')
    expect(verdict()).toContain('Delivered, and the answer comes back')
    // What decided is told first.
    expect(reason().textContent).toContain(answer.hops.at(-1)?.says ?? '?')
    const [opening] = answer.hops
    const hop = screen.getAllByRole('button', {
      name: new RegExp(opening?.hop.replace('-', ' ') ?? '', 'i'),
    })[0]
    if (!hop) throw new Error('no hop can be pressed')
    await userEvent.click(hop)
    await waitFor(() => expect(reason().textContent).toContain(opening?.says ?? '?'))
  })

  it('that is dropped names the hop, whom the other end accepts, and what clears it', async () => {
    await pages.open(toBureau)
    expect(verdict()).toContain('Dropped at acceptance')
    expect(within(reason()).getByText('accepts')).toBeTruthy()
    const clearing = within(reason()).getByRole('region', { name: 'What clears it' })
    expect(within(clearing).getByText('What clears it, proven by walking again')).toBeTruthy()
    const [first] = within(clearing).getAllByRole('button', { name: 'Draft it' })
    if (!first) throw new Error('nothing is offered')
    await userEvent.click(first)
    const { kind, intent } = await pages.drafted()
    const { state, proof } = await draftAndRun(pages.gyrarch, kind, intent)
    expect([state, proof?.filter(({ holds }) => !holds)]).toEqual(['done', []])
    await pages.again(toBureau)
    expect(verdict()).toContain('Delivered')
  })

  it('is turned round by one press', async () => {
    await pages.open(toLedger)
    await press('Other way')
    await waitFor(() =>
      expect(screen.getByLabelText<HTMLInputElement>('From').value).toBe('market/ledger-view'),
    )
    expect(screen.getByLabelText<HTMLInputElement>('To').value).toBe('market/market-desk-v1')
  })

  it.each([
    ['From', `${ofBramble}&from=market/nobody&to=weather-bureau&port=443`, /nobody/],
    ['To', `${ofBramble}&from=market/broker-bot&to=no/such-thing&port=443`, /such-thing/],
    ['Port', `${ofBramble}&from=market/broker-bot&to=weather-bureau&port=70000`, /1 to 65535/],
  ])('that cannot be walked says why at the field %s', async (field, path, says) => {
    await pages.open(path)
    expect(screen.getByLabelText(field).getAttribute('aria-invalid')).toBe('true')
    expect(screen.getByText(says)).toBeTruthy()
    expect(screen.queryByRole('heading', { level: 2, name: /elivered|ropped/ })).toBeNull()
  })

  it('to an address that nobody holds says so', async () => {
    await pages.open(`${ofBramble}&from=market/broker-bot&to=10.77.3.9&port=443`)
    expect(document.body.textContent).toContain('Nobody holds 10.77.3.9')
  })
})

describe('an expectation', () => {
  it('is kept under a name, walked from then on, and given up again', async () => {
    await pages.open(toLedger)
    const asWanted = within(keeping()).getByRole<HTMLButtonElement>('button', {
      name: 'Is to arrive',
    })
    expect(asWanted.disabled).toBe(true)
    await userEvent.type(
      within(keeping()).getByLabelText('Name of the expectation'),
      'the desk reads the ledger',
    )
    await userEvent.click(asWanted)
    const table = await screen.findByRole('table', { name: 'Kept walks' })
    await waitFor(() => expect(within(table).getByText('the desk reads the ledger')).toBeTruthy())
    const kept = async () =>
      ((await pages.gyrarch.fleet.view()).expectations ?? []).find(
        ({ name }) => name === 'the desk reads the ledger',
      )
    // The workload is kept, not the pod that stands for it now.
    expect((await kept())?.from).toMatchObject({ pod: 'market/market-desk-v1' })
    expect((await kept())?.delivered).toBe(true)
    const row = within(table).getByText('the desk reads the ledger').closest('tr')
    if (!row) throw new Error('it has no row')
    expect(row.textContent).toContain('delivered')
    await userEvent.click(within(row).getByRole('button', { name: 'Remove' }))
    await waitFor(async () => expect(await kept()).toBeUndefined())
  })
})
