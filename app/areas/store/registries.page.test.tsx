// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, press, reason } from '../../testing/pages'
import * as registries from './registries'

const pages = pagesOf({ '/store/registries': registries })
const vision = '/store/registries?repository=vision/seedling-vision'

interface Read {
  readonly at: { readonly name: string }
  readonly rows: readonly {
    readonly repository: string
    readonly unsigned: number
    readonly worst: string | null
    readonly pods: number
  }[]
}
const read = async (path = '/store/registries'): Promise<Read> => (await pages.read(path)) as Read

describe('registries', () => {
  it('what runs comes first, and what nobody vouches for is told', async () => {
    const { rows } = await read()
    const pods = rows.map((row) => row.pods)
    expect(pods).toEqual(pods.toSorted((a, b) => b - a))
    await pages.open('/store/registries')
    const doubtful = rows.filter(({ unsigned }) => unsigned > 0)
    expect(
      within(reason()).getByRole('heading', {
        name: new RegExp(`^${doubtful.length} repositor(y has|ies have) unsigned tags$`),
      }),
    ).toBeTruthy()
    const grave = rows.filter(({ worst }) => worst === 'critical' || worst === 'high')
    expect(reason().textContent).toContain(
      grave.length === 0 ? 'No grave findings' : `Grave findings in ${grave.length}`,
    )
  })

  it('a repository is chosen in the table, and its tags are told', async () => {
    await pages.open('/store/registries')
    const [cell] = screen.getAllByText('vision/seedling-vision', {
      selector: 'td .mono, [role=gridcell] .mono',
    })
    if (!cell) throw new Error('it has no row')
    await userEvent.click(cell)
    expect(
      await within(reason()).findByRole('heading', { name: 'vision/seedling-vision' }),
    ).toBeTruthy()
  })

  it('another registry holds what was carried to it', async () => {
    const { at, rows } = await read('/store/registries?registry=registry.kilnlane.example')
    expect(at.name).toBe('registry.kilnlane.example')
    expect(rows.length).toBeGreaterThan(0)
    expect(rows.length).toBeLessThan((await read()).rows.length)
    // One that is not there is taken for the first.
    expect((await read('/store/registries?registry=nowhere')).at.name).toBe(
      'registry.fernhollow.example',
    )
  })
})

describe('who may pull', () => {
  it('closing a repository is drafted, and says who would be denied', async () => {
    await pages.open(vision)
    await press(/^Close it/, reason())
    const { kind, intent, findings } = await pages.drafted()
    expect(kind).toBe('registry.close')
    expect(intent).toMatchObject({
      registry: 'registry.fernhollow.example',
      repositories: 'vision/seedling-vision',
    })
    expect(findings.length).toBeGreaterThan(0)
  })

  it('one that is closed is listed, with the credential that opens it, and opened again', async () => {
    const registry = 'registry.fernhollow.example'
    const credential = await draftAndRun(pages.gyrarch, 'registry.credential', {
      registry,
      repositories: ['vision/seedling-vision'],
      cluster: 'bramble',
      namespace: 'vision',
      purpose: 'pull',
    })
    expect([credential.state, credential.cause?.says]).toEqual(['done', undefined])
    const closed = await draftAndRun(pages.gyrarch, 'registry.close', {
      registry,
      repositories: 'vision/seedling-vision',
      closed: true,
    })
    expect([closed.state, closed.cause?.says]).toEqual(['done', undefined])
    await pages.open('/store/registries')
    expect(within(reason()).getByRole('heading', { name: 'Closed repositories' })).toBeTruthy()
    expect(reason().textContent).toMatch(/vision of bramble may pull vision\/seedling-vision/)
    expect(reason().textContent).toMatch(/until \d{4}-\d\d-\d\d, .* from now/)
    await press('Open it to all', reason())
    const { intent } = await pages.drafted()
    expect(intent).toMatchObject({ repositories: 'vision/seedling-vision', closed: false })
  })

  it('a credential is rotated or ended by its own buttons', async () => {
    await pages.open('/store/registries')
    await press('Rotate it', reason())
    expect((await pages.drafted()).kind).toBe('registry.credential')
    await pages.again('/store/registries')
    await press('End it', reason())
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('registry.revoke')
    expect((intent as { account: string }).account).not.toBe('')
  })
})
