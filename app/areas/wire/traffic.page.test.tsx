// @vitest-environment jsdom
import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, press, reason } from '../../testing/pages'
import * as traffic from './traffic'

const pages = pagesOf({ '/wire/traffic': traffic })
const ofBramble = '/wire/traffic?aim=cluster/bramble'

interface Read {
  readonly rows: readonly {
    readonly service: string
    readonly perSecond: number
    readonly failing: number
  }[]
  readonly routes: readonly {
    readonly key: string
    readonly rule: number
    readonly backends: readonly { readonly name: string; readonly weight: number }[]
  }[]
  readonly curves: readonly { readonly service: string; readonly points: readonly unknown[] }[]
  readonly service: string | null
}

const read = async (path: string): Promise<Read> => (await pages.read(path)) as Read
const change = async (label: string | RegExp, value: string): Promise<void> => {
  const field = within(reason()).getByLabelText(label)
  await userEvent.clear(field)
  await userEvent.type(field, value)
  await userEvent.tab()
}
/** The page of the route whose backends are more than one. */
async function openSplit(): Promise<Read['routes'][number]> {
  const { routes } = await read(ofBramble)
  const split = routes.find(({ backends }) => backends.length > 1)
  if (!split) throw new Error('no route leads to two versions')
  await pages.open(`${ofBramble}&route=${encodeURIComponent(`${split.key} ${split.rule}`)}`)
  return split
}

describe('traffic', () => {
  it('without an aim a cluster is chosen first', async () => {
    await pages.open('/wire/traffic')
    expect(screen.getByText('Calls, failures and answer times')).toBeTruthy()
  })

  it('shows the service that fails before those that are called more', async () => {
    const { rows, service, curves } = await read(ofBramble)
    const worst = [...rows].sort((a, b) => b.failing - a.failing || b.perSecond - a.perSecond)[0]
    expect(service).toBe(worst?.service)
    expect(curves.map((curve) => curve.service)).toEqual([worst?.service])
    await pages.open(ofBramble)
    const failing = rows.filter((row) => row.failing > 0).length
    expect(document.body.textContent).toMatch(new RegExp(`${failing} services? with failures now`))
  })

  it('says of a service that nobody calls that it is not called', async () => {
    await pages.open(`${ofBramble}&service=market/nobody-calls-this`)
    expect(document.body.textContent).toContain(
      'Nobody was seen calling market/nobody-calls-this in the last day.',
    )
  })

  it('another service is chosen in the table', async () => {
    const { rows, service } = await read(ofBramble)
    const calmer = rows.find((row) => row.service !== service)?.service ?? ''
    await pages.open(ofBramble)
    const [cell] = screen.getAllByText(calmer, { selector: '.mono' })
    if (!cell) throw new Error(`${calmer} has no row`)
    await userEvent.click(cell)
    expect(await within(reason()).findByRole('heading', { name: calmer })).toBeTruthy()
  })
})

describe('a shift', () => {
  it('is drafted with weights, steps and when it turns back', async () => {
    const { key, rule, backends } = await openSplit()
    const [stays, comes] = backends
    await change(`Weight of ${stays?.name}`, '20')
    await change(`Weight of ${comes?.name}`, '80')
    expect(within(reason()).getByText(/80 % then/)).toBeTruthy()
    await change('In steps', '4')
    await change('Seconds each', '120')
    await change(/^Turn back above/, '3')
    await press('Draft the shift')
    const { kind, intent, plan } = await pages.drafted()
    expect([kind, intent]).toEqual([
      'wire.shift',
      {
        cluster: 'bramble',
        route: key,
        rule,
        weights: { [stays?.name ?? '']: 20, [comes?.name ?? '']: 80 },
        steps: 4,
        everySeconds: 120,
        failures: 0.03,
      },
    ])
    expect(plan?.steps.length).toBeGreaterThanOrEqual(4)
  })

  it('that leaves nobody to answer is told before it is drafted', async () => {
    const { backends } = await openSplit()
    for (const { name } of backends) await change(`Weight of ${name}`, '0')
    expect(await screen.findByText('The weights sum to 0: nobody would answer.')).toBeTruthy()
  })

  it('once it ran the route is shown with its new weights', async () => {
    const { key, rule, backends } = await openSplit()
    const [stays, comes] = backends
    const weights = { [stays?.name ?? '']: 1, [comes?.name ?? '']: 3 }
    const intent = { cluster: 'bramble', route: key, rule, weights, steps: 1, everySeconds: 60 }
    const { state } = await draftAndRun(pages.gyrarch, 'wire.shift', {
      ...intent,
      failures: 1,
    })
    expect(state).toBe('done')
    await pages.again(ofBramble)
    const line = within(reason())
      .getAllByRole('listitem')
      .find(({ textContent }) => textContent.includes(key))
    expect(line?.textContent).toContain(`${comes?.name} 3`)
    await userEvent.click(
      within(line ?? reason()).getByRole('button', { name: 'Shift its traffic' }),
    )
    await waitFor(() =>
      expect(
        within(reason()).getByLabelText<HTMLInputElement>(`Weight of ${comes?.name}`).value,
      ).toBe('3'),
    )
  })
})
