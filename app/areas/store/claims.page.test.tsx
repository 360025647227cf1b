// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { storageOverview } from '~/core/storage'
import { pagesOf, press, reason } from '../../testing/pages'
import * as claims from './claims'

const pages = pagesOf({ '/store': claims })
const ofCedar = '/store?aim=cluster/cedar'

type Overview = Exclude<ReturnType<typeof storageOverview>, null>
const overview = async (path: string): Promise<Overview> =>
  ((await pages.read(path)) as { readonly storage: Overview }).storage

describe('claims', () => {
  it('without an aim every cluster that answers can be chosen', async () => {
    await pages.open('/store')
    const { clusters } = await pages.gyrarch.fleet.view()
    for (const { name, apiAnswers } of clusters)
      expect(screen.queryAllByRole('button', { name }).length).toBe(apiAnswers ? 1 : 0)
  })

  it('are listed with who uses them, and counted', async () => {
    await pages.open(ofCedar)
    const { claims: all } = await overview(ofCedar)
    expect(all.length).toBeGreaterThan(1)
    for (const { claim } of all) expect(screen.getAllByText(claim).length).toBeGreaterThan(0)
    const waiting = all.filter(({ volume }) => volume === null).length
    expect(within(reason()).getByRole('heading', { level: 2 }).textContent).toContain(
      waiting === 0 ? 'all bound' : String(waiting),
    )
  })

  it('a chosen one says who stops if it is gone', async () => {
    const { claims: all } = await overview(ofCedar)
    const used = all.find(({ pods }) => pods.length > 0)
    await pages.open(`${ofCedar}&on=${encodeURIComponent(used?.claim ?? '')}`)
    const facts = reason().textContent ?? ''
    expect(facts).toContain('Who stops if it is gone')
    for (const { pod } of used?.pods ?? []) expect(facts).toContain(pod)
  })
})

describe('classes', () => {
  it('tell what they are made by, when they bind and who may use them', async () => {
    await pages.open(ofCedar)
    const table = screen.getByRole('table', { name: 'storage classes' })
    const { classes } = await overview(ofCedar)
    for (const { name, provisioner, waitsForConsumer, claims: count } of classes) {
      const row = within(table).getByText(name).closest('tr')
      const cells = within(row ?? table).getAllByRole('cell')
      expect(cells[1]?.textContent).toBe(provisioner || 'none')
      expect(cells[2]?.textContent).toBe(waitsForConsumer ? 'with the first pod' : 'at once')
      expect(cells[5]?.textContent).toBe(String(count))
    }
  })

  it('one is drafted where copies are kept, and only there', async () => {
    await pages.open('/store?aim=cluster/bramble')
    expect(screen.queryByRole('button', { name: 'Make a class' })).toBeNull()
    await pages.again(ofCedar)
    await press('Make a class')
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('storage.class')
    expect(intent).toMatchObject({ cluster: 'cedar', copies: 2 })
  })

  it('one is granted to a namespace that keeps data', async () => {
    await pages.open(ofCedar)
    const { claims: all, classes } = await overview(ofCedar)
    await press('Let a namespace use one')
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('storage.grant')
    expect(intent).toMatchObject({
      cluster: 'cedar',
      namespace: all[0]?.claim.split('/')[0],
      class: classes[0]?.name,
    })
  })
})
