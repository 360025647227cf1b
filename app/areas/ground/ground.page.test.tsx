// @vitest-environment jsdom
import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { siteOf } from '~/core/fleet'
import { draftAndRun } from '~/server/testing/open'
import { pagesOf, press, reason } from '../../testing/pages'
import * as ground from './ground'

const pages = pagesOf({ '/ground': ground })
const ofMossgate = '/ground?site=mossgate'

const mossgate = async () => {
  const site = siteOf(await pages.gyrarch.fleet.view(), 'mossgate')
  if (!site) throw new Error('there is no mossgate')
  return site
}
const services = (): HTMLElement => screen.getByRole('region', { name: 'Services' })

describe('the ground', () => {
  it('every site is a way to its own page, with how full it is', async () => {
    await pages.open('/ground')
    const sites = within(screen.getByRole('navigation', { name: 'Sites' }))
    for (const { name } of (await pages.gyrarch.fleet.view()).sites)
      expect(sites.getByRole('link', { name: new RegExp(`\\b${name}\\b`) })).toBeTruthy()
    expect(sites.getAllByRole('img', { name: /^\d+ of \d+ cores used$/ }).length).toBeGreaterThan(2)
  })

  it('is a table by its own address', async () => {
    await pages.open('/ground?as=table')
    expect(screen.getByLabelText('Find in sites')).toBeTruthy()
    expect(screen.getByRole('link', { name: /^drawing/ })).toBeTruthy()
  })

  it('who holds an address is told by whoever holds it', async () => {
    const [held] = (await mossgate()).addresses
    await pages.open(ofMossgate)
    await userEvent.type(
      screen.getByRole('textbox', { name: 'Who holds an address' }),
      `${held?.address}{Enter}`,
    )
    const holders = await within(reason()).findByRole('status', { name: 'Holders' })
    expect(holders.textContent).toContain(held?.address)
    expect(within(holders).getAllByRole('listitem').length).toBeGreaterThan(0)
  })

  it('what is no address is told to be none', async () => {
    await pages.open(`${ofMossgate}&address=nowhere`)
    const holders = within(reason()).getByRole('status', { name: 'Holders' })
    expect(holders.querySelector('p')?.textContent).not.toBe('')
    expect(within(holders).queryAllByRole('listitem')).toEqual([])
  })

  it('where the machines of a host go if it dies is computed', async () => {
    await pages.open(`${ofMossgate}&host=m-a-1`)
    const loss = within(reason()).getByRole('status', { name: 'If m-a-1 dies' })
    const on = (await mossgate()).machines.filter(({ host }) => host === 'm-a-1')
    expect(within(loss).queryAllByRole('listitem')).toHaveLength(on.length)
  })

  it('a base image that is missing is put in place by a draft', async () => {
    const { releases } = (await pages.read(ofMossgate)) as { releases: readonly string[] }
    expect(releases.length).toBeGreaterThan(0)
    await pages.open(ofMossgate)
    await press('Draft putting it in place')
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('image.place')
    expect(intent).toMatchObject({ site: 'mossgate' })
    expect(releases).toContain((intent as { release: string }).release)
  })

  it('a site is added by a draft that has the domain of the one that is shown', async () => {
    await pages.open(ofMossgate)
    await press('Add a site')
    const { kind, intent } = await pages.drafted()
    expect(kind).toBe('site.add')
    expect(intent).toMatchObject({ name: '', domain: (await mossgate()).domain })
  })
})

describe('services of a site', () => {
  it('one that does not answer is restarted from its row', async () => {
    const network = (await mossgate()).networks.find(({ dhcp }) => dhcp !== undefined)?.name
    await pages.gyrarch.putFault({
      fault: 'dhcp-silent',
      about: `network/mossgate/${network}`,
      mode: 'permanent',
      times: 1,
      afterSeconds: 0,
    })
    await pages.gyrarch.outside.advance(120)
    await pages.open(ofMossgate)
    const row = within(services()).getByText('does not answer').closest('li, tr')
    expect(row?.textContent).toContain(`DHCP of ${network}`)
    await press('Restart', services())
    const { kind, intent } = await pages.drafted()
    expect(intent).toMatchObject({ site: 'mossgate', service: 'dhcp', network })
    const ran = await draftAndRun(pages.gyrarch, kind, intent)
    expect([ran.state, ran.cause?.says]).toEqual(['done', undefined])
    await pages.again(ofMossgate)
    expect(within(services()).queryByText('does not answer')).toBeNull()
  })
})
