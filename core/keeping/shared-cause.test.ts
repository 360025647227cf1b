import { describe, expect, it } from 'vitest'
import { bareSite, type NodeView } from '../fleet'
import { bareCluster, bareFleet, bareNode } from '../testing/bare'
import { sharedCauses } from './shared-cause'

const silentSince = (name: string, since: string | null): NodeView => ({
  ...bareNode(name),
  conditions: [
    {
      type: 'Ready',
      status: since === null ? 'True' : 'Unknown',
      reason: '',
      message: '',
      since: since ?? '2026-03-01T00:00:00Z',
    },
  ],
})
const cluster = (name: string, nodes: readonly NodeView[]) =>
  bareCluster(name, 'mossgate', {
    pools: [{ name: 'general', size: '', lifetime: 'on-demand', range: null, taints: [], nodes }],
  })
const causesOf = (...clusters: readonly ReturnType<typeof cluster>[]) =>
  sharedCauses(
    bareFleet({
      now: '2026-03-02T06:10:00Z',
      sites: [bareSite('mossgate', 'hall', 'd')],
      clusters,
    }),
  ).map(({ code, nodes }) => [code, nodes.map(({ node }) => node)])

describe('nodes that fell silent', () => {
  it('together have one cause, though nobody knows it yet', () => {
    expect(
      causesOf(
        cluster('cedar', [
          silentSince('a', '2026-03-02T06:00:00Z'),
          silentSince('b', '2026-03-02T06:01:30Z'),
          silentSince('c', null),
        ]),
      ),
    ).toEqual([['shared-cause.together', ['a', 'b']]])
  })

  it('minutes apart, or one alone, are ill by themselves', () => {
    expect(
      causesOf(
        cluster('cedar', [
          silentSince('a', '2026-03-02T06:00:00Z'),
          silentSince('b', '2026-03-02T06:03:00Z'),
        ]),
      ),
    ).toEqual([])
    expect(causesOf(cluster('cedar', [silentSince('a', '2026-03-02T06:00:00Z')]))).toEqual([])
  })

  it('in several clusters of a site are looked at together', () => {
    const at = '2026-03-02T06:00:00Z'
    expect(
      causesOf(
        cluster('alder', [silentSince('a', at), silentSince('b', null)]),
        cluster('burdock', [silentSince('c', at), silentSince('d', null)]),
        cluster('cedar', [silentSince('e', at), silentSince('f', null)]),
      ),
    ).toEqual([['shared-cause.together', ['a', 'c', 'e']]])
  })
})
