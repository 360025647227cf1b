import { describe, expect, it } from 'vitest'
import { type Opened, gyrarchForEach } from '../testing/open'
import { noticesOfChange } from './notices-of-change'

let opened: Opened
gyrarchForEach((made) => (opened = made))

const told = async (kind: string, intent: unknown) => {
  await opened.gyrarch.fleet.view()
  const draft = { kind, intent, state: 'draft' as const }
  const notices = await noticesOfChange(opened.gyrarch, draft)
  return notices.map(({ what, who, says }) => `${what} ${who} ${says}`)
}

describe('who would notice', () => {
  it('a node that goes are the callers of what runs there', async () => {
    const pods = (await opened.gyrarch.fleet.objectsOf('bramble')) ?? []
    const on = pods.find((object) => {
      const pod = object as {
        kind: string
        spec?: { nodeName?: string }
        metadata: { name: string }
      }
      return pod.kind === 'Pod' && pod.metadata.name.startsWith('price-feed')
    }) as { spec?: { nodeName?: string } } | undefined
    const node = on?.spec?.nodeName
    const all = await told('machine.restart', { cluster: 'bramble', node })
    expect(all).toContain('caller market/broker-bot calls market/price-feed on port 8080')
  })

  it('is who expects an answer, and not who expects that none comes', async () => {
    const node = { node: 'bramble-general-2', cluster: 'bramble' }
    for (const [name, pod, delivered] of [
      ['the desk reads the ledger', 'market/market-desk-v1', true],
      ['the broker does not', 'market/broker-bot', false],
    ] as const)
      await opened.gyrarch.expectations.keep({
        name,
        from: { cluster: 'bramble', pod },
        to: { cluster: 'bramble', service: 'market/ledger-view' },
        port: 8443,
        protocol: 'TCP',
        delivered,
      })
    const pods = (await opened.gyrarch.fleet.objectsOf('bramble')) ?? []
    const on = pods.flatMap((object) => {
      const { kind, metadata, spec } = object as {
        kind: string
        metadata: { name: string }
        spec?: { nodeName?: string }
      }
      return kind === 'Pod' && metadata.name.startsWith('ledger-view') ? (spec?.nodeName ?? []) : []
    })
    const all = await told('machine.restart', { ...node, node: on[0] ?? node.node })
    expect(all).toContain('expectation the desk reads the ledger expects an answer on port 8443')
    expect(all.filter((line) => line.includes('the broker does not'))).toEqual([])
  })

  it('a cluster that goes is nobody who goes with it, but what is kept in it', async () => {
    const all = await told('cluster.takedown', { cluster: 'cedar' })
    expect(all.filter((line) => /^caller [a-z-]+\//.test(line))).toEqual([])
    expect(all.some((line) => line.startsWith('claim gathering/'))).toBe(true)
  })

  it('a change that takes nothing away is nobody', async () => {
    expect(await told('pool.resize', { cluster: 'bramble', pool: 'general', count: 5 })).toEqual([])
    expect(await told('cluster.takedown', { cluster: 'nettle' })).toEqual([])
  })
})
