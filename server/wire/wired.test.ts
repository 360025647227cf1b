import { describe, expect, it } from 'vitest'
import { clusterOf } from '~/core/fleet'
import { birch, gyrarchForAll, runOut, type Opened } from '../testing/open'
import { wiredWithMakers } from './wired'

let opened: Opened
gyrarchForAll((made) => (opened = made))

async function run(kind: string, intent: unknown): Promise<string> {
  const { gyrarch } = opened
  const drafted = await gyrarch.changes.draft(kind, intent)
  expect(
    drafted.findings.filter((finding) => finding.level === 'stop').map((finding) => finding.says),
  ).toEqual([])
  await gyrarch.changes.run(drafted.id, {
    accept: drafted.findings.map((finding) => finding.key),
    confirm: drafted.guardedBy ?? undefined,
  })
  expect((await runOut(gyrarch, drafted.id)).state).toBe('done')
  return drafted.id
}

describe('what is wired after a hall raise over three zones', () => {
  it('is everything it made by itself, each with its maker', async () => {
    const { gyrarch } = opened
    const route = await run('wire.route', {
      site: 'mossgate',
      network: 'mossgate frontage',
      to: '10.20.16.0/22',
      via: '10.20.40.1',
    })
    const before = (await gyrarch.fleet.view()).sites.find((site) => site.name === 'mossgate')
    const raised = await run('cluster.raise', {
      ...birch,
      networks: { virtualAddresses: '10.20.40.32-10.20.40.35' },
    })
    const view = await gyrarch.fleet.viewFor([], ['cluster/birch'])
    const after = view.sites.find((site) => site.name === 'mossgate')
    const cluster = clusterOf(view, 'birch')
    if (!cluster || !before || !after) throw new Error('no birch')
    const rows = await wiredWithMakers(view, cluster)
    const has = (what: string, value: string) =>
      rows.find((row) => row.what === what && row.value.includes(value))
    // Whatever the site holds now and did not before is on the page.
    const fresh = after.addresses.filter(
      (address) =>
        !before.addresses.some((otherAddress) => otherAddress.address === address.address),
    )
    expect(
      fresh.filter((address) => address.how === 'virtual').map((address) => address.address),
    ).toEqual(['10.20.40.32', '10.20.40.33', '10.20.40.34', '10.20.40.35'])
    for (const address of fresh.filter((entry) => entry.how !== 'dhcp'))
      expect(
        has(address.how === 'virtual' ? 'virtual address' : 'address', address.address),
        address.address,
      ).toMatchObject({ change: raised, maker: 'raise birch' })
    expect(rows.filter((row) => row.what === 'lease')).toMatchObject([
      { maker: 'DHCP of mossgate' },
    ])
    for (const balancer of after.balancers.filter(
      (candidate) =>
        !before.balancers.some((otherBalancer) => otherBalancer.name === candidate.name),
    ))
      expect(has('load balancer', balancer.address)).toMatchObject({ change: raised })
    expect(has('load balancer', '10.20.40.32:443')).toBeDefined()
    expect(has('route', '10.20.16.0/22')).toMatchObject({
      change: route,
      name: 'mossgate frontage',
    })
    expect(has('pod range', '10.134.0.0/18')).toMatchObject({
      fill: { used: 5, size: 64 },
      change: raised,
    })
    expect(has('service range', '10.135.0.0/20')).toMatchObject({ change: raised })
    expect(
      rows.find((row) => row.what === 'network' && row.name === 'mossgate frontage'),
    ).toMatchObject({ fill: { used: 4, size: 64 }, maker: 'mossgate itself' })
    expect(rows.every((row) => row.maker !== '')).toBe(true)
  })
})
