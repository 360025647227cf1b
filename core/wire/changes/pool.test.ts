import { describe, expect, it } from 'vitest'
import { kindNamed } from '../../kinds'
import { demoFleet } from '../../testing/demo-fleet'

const demo = demoFleet()
const view = {
  ...demo,
  sites: demo.sites.map((site) => ({
    ...site,
    networks: site.networks.filter((network) => network.role !== 'frontage'),
  })),
  ledger: demo.ledger.filter((entry) => !entry.name.includes('frontage')),
}

const judged = (kind: string, intent: unknown) => {
  const read = kindNamed(kind)?.read(intent)
  if (!read?.ok) throw new Error(`${kind} does not read its intent`)
  return read.draft
}

const remediesOf = (pool: string, rule: string) =>
  judged('wire.pool', { site: 'mossgate', pool })
    .findings(view)
    .find((finding) => finding.rule === rule)?.remedies ?? []

describe('a pool at a site without a frontage', () => {
  it('is offered the network around it, which clears it', () => {
    const [remedy] = remediesOf('10.20.40.32-10.20.40.95', 'pool.network')
    expect(remedy?.says).toBe('Add 10.20.40.0/25 to mossgate as its frontage')
    if (!remedy || !('kind' in remedy.change)) throw new Error('no change is offered')
    const after = judged(remedy.change.kind, remedy.change.intent).after(view)
    const pool = '10.20.40.40-10.20.40.95'
    expect(after && judged('wire.pool', { site: 'mossgate', pool }).stops(after)).toBe(false)
  })

  it.each([
    ['10.120.0.1-10.120.0.9', 'pool.taken'],
    ['', 'pool.readable'],
  ])('%s is offered a free pool, around which there is room for one', (pool, rule) => {
    const [remedy] = remediesOf(pool, rule)
    expect(remedy?.says).toBe('Use 10.0.0.64-10.0.0.126')
    expect(remediesOf('10.0.0.64-10.0.0.126', 'pool.network').map(({ says }) => says)).toEqual([
      'Add 10.0.0.0/25 to mossgate as its frontage',
    ])
  })
})
