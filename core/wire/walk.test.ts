import { describe, expect, it } from 'vitest'
import {
  patchedWorld,
  prepareWorld,
  walk,
  walkAnswer,
  walkRemedies,
  walkWorldSchema,
  type ReadyWorld,
  type WalkQuery,
} from '.'
import { pod, service, slice, wired, type Wired } from './testing/worlds'

function ready(change: (world: Wired) => void = () => undefined): ReadyWorld {
  const copy = structuredClone(wired)
  change(copy)
  const read = prepareWorld(walkWorldSchema.parse(copy))
  if (!read.ok) throw new Error(`${read.path}: ${read.says}`)
  return read.world
}

const desk = { pod: 'market/desk', cluster: 'bramble' } as const
const bureau = { address: '10.88.4.20' } as const

function go(
  from: WalkQuery['from'],
  to: WalkQuery['to'],
  port: number,
  world = ready(),
  protocol: WalkQuery['protocol'] = 'TCP',
  nth = 0,
) {
  const walkRead = walk(world, { from, to, port, protocol }, nth)
  if (!walkRead.ok) throw new Error(`${walkRead.path}: ${walkRead.says}`)
  return {
    ...walkAnswer(walkRead.walk),
    remedies: walkRemedies(world, { from, to, port, protocol }, walkRead.walk),
    walk: walkRead.walk,
  }
}
const names = (answer: { readonly hops: readonly { readonly hop: string }[] }) =>
  answer.hops.map(({ hop }) => hop)
const failure = (from: WalkQuery['from'], to: WalkQuery['to']) => {
  const walkRead = walk(ready(), { from, to, port: 80, protocol: 'TCP' })
  return walkRead.ok ? null : { path: walkRead.path, says: walkRead.says }
}

describe('a packet to a partner', () => {
  it('arrives under the node’s address and is refused; one kept range lets it through, and is proven', () => {
    const result = go(desk, { name: 'bureau.fernhollow.example' }, 8443)
    expect(names(result)).toEqual([
      'name',
      'policy-out',
      'masquerade',
      'route',
      'firewall-out',
      'translation',
      'acceptance',
    ])
    expect(result.decided).toEqual({ hop: 'acceptance', by: 'weather-bureau' })
    expect(result.hops[0]?.before.destination).toBe('bureau.fernhollow.example')
    expect(result.hops.find(({ hop }) => hop === 'masquerade')).toMatchObject({
      before: { source: '10.124.0.5' },
      after: { source: '10.44.0.11', destination: '10.88.4.20', port: 8443 },
    })
    expect(result.hops.at(-1)?.after).toBeNull()
    expect(result.hops.find(({ hop }) => hop === 'route')?.by).toBe('10.88.4.0/24')
    expect(result.hops.find(({ hop }) => hop === 'translation')?.by).toBe('inside')
    expect(result.remedies.map(({ kind }) => kind)).toEqual(['keep-source'])
    expect(result.remedies[0]?.patch).toEqual([
      { op: 'add', path: '/clusters/0/keepSource/-', value: '10.88.4.20/32' },
    ])
    const again = prepareWorld(
      patchedWorld(walkWorldSchema.parse(structuredClone(wired)), result.remedies[0]?.patch ?? []),
    )
    expect(again.ok && go(desk, bureau, 8443, again.world).verdict).toBe('delivered')
  })
  it('every hop begins as the one before it ended', () => {
    for (const match of [
      go(desk, bureau, 8443),
      go({ address: '192.0.2.9' }, { address: '198.51.100.7' }, 443),
      go(desk, { service: 'market/ledger-view', cluster: 'bramble' }, 443),
    ]) {
      for (const [i, hop] of match.hops.entries())
        if (i > 0) expect(hop.before).toEqual(match.hops[i - 1]?.after)
    }
  })
  it('on another port is refused by it, whatever its source', () => {
    const result = go(
      desk,
      bureau,
      80,
      ready((world) => void world.clusters[0]?.keepSource?.push('10.88.4.0/24')),
    )
    expect(result.decided).toEqual({ hop: 'acceptance', by: 'weather-bureau' })
    expect(result.remedies).toEqual([])
  })
  it('that has no way back says so', () => {
    const result = go(
      desk,
      bureau,
      8443,
      ready((world) => {
        for (const peer of world.peers)
          Object.assign(peer, { accepts: ['10.0.0.0/8'], routes: ['10.124.0.0/16'] })
      }),
    )
    expect(result.decided).toEqual({ hop: 'way-back', by: 'weather-bureau' })
    expect(result.remedies.map(({ kind }) => kind)).toEqual(['keep-source'])
  })
})

describe('an API outside', () => {
  it('is reached from a node under the egress address', () => {
    const result = go({ node: 'bramble-1', cluster: 'bramble' }, { address: '198.51.100.250' }, 443)
    expect(names(result)).toEqual([
      'route',
      'firewall-out',
      'translation',
      'acceptance',
      'way-back',
    ])
    expect(result.hops.find(({ hop }) => hop === 'translation')).toMatchObject({
      by: 'uplink',
      after: { source: '172.31.250.3' },
    })
    expect(result.verdict).toBe('delivered')
    expect(result.hops.at(-1)?.after).toEqual({
      source: '198.51.100.250',
      destination: '10.44.0.11',
      port: 443,
    })
  })
  it('blocked by a rule names the rule, and offers to let this pass before it or to switch it off', () => {
    const blocked = ready(
      (world) =>
        void world.sites[0]?.firewall.unshift({
          name: 'no uplink',
          priority: 20,
          direction: 'out',
          action: 'deny',
          to: ['198.51.100.0/24'],
        } as never),
    )
    const result = go(
      { node: 'bramble-1', cluster: 'bramble' },
      { address: '198.51.100.250' },
      443,
      blocked,
    )
    expect(result.decided).toEqual({ hop: 'firewall-out', by: 'no uplink' })
    expect(result.remedies.map(({ kind }) => kind)).toEqual(['allow-out', 'rule-off'])
    expect(result.remedies[0]?.patch).toEqual([
      {
        op: 'add',
        path: '/sites/0/firewall/0',
        value: {
          name: 'allow 10.44.0.11 to 198.51.100.250:443',
          priority: 20,
          direction: 'out',
          action: 'allow',
          from: ['10.44.0.11/32'],
          to: ['198.51.100.250/32'],
          protocol: 'tcp',
          ports: ['443'],
        },
      },
    ])
  })
  it('on some machines only is blocked for those, also for the pods on them', () => {
    const blocked = ready(
      (world) =>
        void world.sites[0]?.firewall.unshift({
          name: 'no bureau',
          priority: 20,
          direction: 'out',
          action: 'deny',
          members: ['10.44.0.11'],
          to: ['10.88.4.0/24'],
        } as never),
    )
    const kept = (world: ReadyWorld) =>
      prepareWorld(
        patchedWorld(world.given, [
          { op: 'add', path: '/clusters/0/keepSource/-', value: '10.88.4.0/24' },
        ]),
      )
    const world = kept(blocked)
    if (!world.ok) throw new Error('no world')
    expect(go(desk, bureau, 8443, world.world).decided.by).toBe('no bureau')
    expect(
      go({ pod: 'market/broker', cluster: 'bramble' }, bureau, 8443, world.world).verdict,
    ).toBe('delivered')
  })
})

describe('a service', () => {
  it('becomes its first ready endpoint, on its port; policies look at that endpoint', () => {
    const result = go(desk, { service: 'market/ledger-view', cluster: 'bramble' }, 443)
    expect(names(result)).toEqual(['policy-out', 'service', 'policy-in', 'way-back'])
    expect(result.hops.find(({ hop }) => hop === 'service')).toMatchObject({
      by: 'market/ledger-view',
      before: { destination: '10.125.0.40', port: 443 },
      after: { destination: '10.124.1.5', port: 8443 },
    })
    expect(result.hops.find(({ hop }) => hop === 'policy-in')?.by).toEqual([
      'market/ledger-callers',
    ])
    expect(
      go(
        desk,
        { service: 'market/ledger-view', cluster: 'bramble' },
        443,
        ready(),
        'TCP',
        1,
      ).hops.find(({ hop }) => hop === 'service')?.after?.destination,
    ).toBe('10.124.0.6')
    expect(result.walk.mtu).toEqual({ smallest: 1500, at: 'east', overhead: 50 })
  })
  it('refuses who no policy lets in; one peer would', () => {
    const result = go(
      { pod: 'market/broker', cluster: 'bramble' },
      { name: 'ledger-view.market.svc.cluster.local' },
      443,
    )
    expect(result.decided).toEqual({ hop: 'policy-in', by: ['market/ledger-callers'] })
    expect(result.remedies.map(({ kind }) => kind)).toEqual(['policy-peer'])
    expect(result.remedies[0]?.patch[0]?.value).toEqual({
      from: [{ ipBlock: { cidr: '10.124.1.6/32' } }],
      ports: [{ protocol: 'TCP', port: 8443 }],
    })
  })
  it('without a ready endpoint, on another port, or of another cluster ends the walk', () => {
    expect(go(desk, { service: 'market/idle', cluster: 'bramble' }, 80).decided).toEqual({
      hop: 'service',
      by: 'market/idle',
    })
    expect(go(desk, { service: 'market/ledger-view', cluster: 'bramble' }, 444).decided).toEqual({
      hop: 'service',
      by: 'market/ledger-view',
    })
    expect(
      go(
        { pod: 'market/desk', cluster: 'dill' },
        { service: 'market/ledger-view', cluster: 'bramble' },
        443,
      ).decided.hop,
    ).toBe('service')
    expect(go(desk, { address: '10.125.9.9' }, 80).decided).toEqual({
      hop: 'service',
      by: 'default',
    })
  })
  it('that keeps to the own node takes only endpoints there', () => {
    const local = ready((world) => {
      const result = world.clusters[0]?.objects.find((object) => object['kind'] === 'Service') as {
        spec: Record<string, unknown>
      }
      result.spec['internalTrafficPolicy'] = 'Local'
    })
    expect(
      go(desk, { service: 'market/ledger-view', cluster: 'bramble' }, 443, local).hops.find(
        ({ hop }) => hop === 'service',
      )?.after?.destination,
    ).toBe('10.124.0.6')
  })
  it('without an address is a name of its endpoints; an external name is another name', () => {
    const world = ready(
      (given) =>
        void given.clusters[0]?.objects.push(
          service('market', 'shelf', 'None', [{ port: 80 }]),
          slice('market', 'shelf', [{ ip: '10.124.1.6', pod: 'broker', node: 'bramble-2' }], []),
          {
            kind: 'Service',
            metadata: { namespace: 'market', name: 'bureau' },
            spec: { type: 'ExternalName', externalName: 'bureau.fernhollow.example' },
          },
        ),
    )
    expect(
      go(desk, { name: 'shelf.market.svc.cluster.local' }, 80, world).hops[0]?.after?.destination,
    ).toBe('10.124.1.6')
    expect(
      go(desk, { service: 'market/bureau', cluster: 'bramble' }, 8443, world).hops[0]?.after
        ?.destination,
    ).toBe('10.88.4.20')
  })
})

describe('names', () => {
  it('are answered for a node by its site alone, and not at all outside', () => {
    expect(
      go(
        { node: 'bramble-1', cluster: 'bramble' },
        { name: 'ledger-view.market.svc.cluster.local' },
        443,
      ).decided,
    ).toEqual({ hop: 'name', by: 'default' })
    expect(
      go({ node: 'bramble-1', cluster: 'bramble' }, { name: 'Bureau.Fernhollow.example.' }, 8443)
        .hops[0],
    ).toMatchObject({ by: 'bureau.fernhollow.example' })
    expect(
      go({ address: '192.0.2.9' }, { name: 'bureau.fernhollow.example' }, 8443).decided.hop,
    ).toBe('name')
  })
})

describe('from outside', () => {
  it('a virtual address leads over a node to a pod, under the node’s address', () => {
    const result = go(
      { address: '192.0.2.9' },
      { address: '198.51.100.7' },
      443,
      ready((world) => {
        for (const cluster of world.clusters)
          cluster.objects = cluster.objects.filter((object) => object['kind'] !== 'NetworkPolicy')
      }),
    )
    expect(names(result)).toEqual(['firewall-in', 'front', 'front', 'policy-in', 'way-back'])
    expect(result.hops.map(({ after }) => after?.destination)).toEqual([
      '198.51.100.7',
      '10.44.0.11',
      '10.124.1.5',
      '10.124.1.5',
      '192.0.2.9',
    ])
    expect(result.hops[1]?.after?.port).toBe(30443)
    expect(result.hops[2]?.after).toMatchObject({ source: '10.44.0.11', port: 8443 })
  })
  it('with local traffic only, the source is kept and the policy sees it', () => {
    const result = go(
      { address: '192.0.2.9' },
      { address: '198.51.100.7' },
      443,
      ready((world) => {
        const front = world.clusters[0]?.objects.find((object) => object['kind'] === 'Service') as {
          spec: Record<string, unknown>
        }
        front.spec['externalTrafficPolicy'] = 'Local'
      }),
    )
    expect(result.hops[1]?.after?.destination).toBe('10.44.0.12')
    expect(result.decided).toEqual({ hop: 'policy-in', by: ['market/ledger-callers'] })
    expect(result.hops.at(-1)?.before.source).toBe('192.0.2.9')
  })
  it('is denied where no rule lets it in, and one rule would', () => {
    const result = go({ address: '192.0.2.9' }, { address: '10.44.0.11' }, 22)
    expect(result.decided).toEqual({ hop: 'firewall-in', by: 'default' })
    expect(result.remedies.map(({ kind }) => kind)).toEqual(['allow-in'])
    expect(
      go(
        { address: '192.0.2.9' },
        { address: '198.51.100.7' },
        80,
        ready(
          (world) =>
            void world.sites[0]?.firewall.push({
              name: 'all in',
              priority: 70,
              direction: 'in',
              action: 'allow',
            } as never),
        ),
      ).decided,
    ).toEqual({ hop: 'front', by: 'default' })
  })
})

describe('between sites', () => {
  const toDill = { pod: 'market/desk', cluster: 'dill' } as const
  it('of one domain goes by a route, there and back', () => {
    const result = go(
      desk,
      toDill,
      80,
      ready(
        (world) =>
          void world.sites[1]?.routes.push({
            network: 'north',
            to: '10.44.0.0/20',
            via: 'private link',
          }),
      ),
    )
    expect(names(result)).toEqual([
      'policy-out',
      'masquerade',
      'route',
      'firewall-out',
      'translation',
      'firewall-in',
      'policy-in',
      'way-back',
    ])
    expect(result.hops.find(({ hop }) => hop === 'firewall-in')?.by).toBe('default')
    expect(result.verdict).toBe('delivered')
  })
  it('without a route ends at the network that has none; the route is the remedy', () => {
    const result = go(
      desk,
      toDill,
      80,
      ready((world) => {
        for (const site of world.sites)
          site.routes = site.routes.filter(
            (route) => !route.to.endsWith('/0') && !route.to.startsWith('10.126'),
          )
        world.sites[1]?.routes.push({ network: 'north', to: '10.44.0.0/20', via: 'private link' })
      }),
    )
    expect(result.decided).toEqual({ hop: 'route', by: 'default' })
    expect(result.remedies).toMatchObject([
      {
        kind: 'route',
        patch: [{ path: '/sites/0/routes/-', value: { network: 'east', to: '10.126.0.5/32' } }],
      },
    ])
  })
  it('of other domains meets like strangers: denied on the way in', () => {
    const result = go(
      desk,
      toDill,
      80,
      ready((world) => {
        for (const site of world.sites.slice(1)) site.domain = 'elsewhere'
      }),
    )
    expect(result.decided).toEqual({ hop: 'firewall-in', by: 'default' })
  })
})

describe('what is asked wrongly', () => {
  it('is named by its field', () => {
    expect(failure({ pod: 'market/nobody', cluster: 'bramble' }, bureau)?.path).toBe('from.pod')
    expect(failure({ node: 'n', cluster: 'elm' }, bureau)?.path).toBe('from.cluster')
    expect(failure(desk, { service: 'market/nothing', cluster: 'bramble' })?.path).toBe(
      'to.service',
    )
    expect(failure(desk, { address: '10.0.0.300' })?.path).toBe('to.address')
    const wrong = (change: (world: Wired) => void) => {
      const copy = structuredClone(wired)
      change(copy)
      const read = prepareWorld(walkWorldSchema.parse(copy))
      return read.ok ? null : read.path
    }
    expect(
      wrong(
        (world) =>
          void world.sites[0]?.firewall.push({
            name: 'x',
            priority: 1,
            direction: 'in',
            action: 'allow',
            ports: ['90-80'],
          } as never),
      ),
    ).toBe('world.sites[0].firewall[3].ports[0]')
    expect(wrong((world) => void world.clusters[0]?.keepSource?.push('10.88.4.1/24'))).toBe(
      'world.clusters[0].keepSource[0]',
    )
    expect(
      wrong(
        (world) => void world.sites[0]?.routes.push({ network: 'east', to: '10.0.0.1/8', via: '' }),
      ),
    ).toBe('world.sites[0].routes[4].to')
    expect(
      wrong((world) => void world.clusters.forEach((cluster) => (cluster.site = 'nowhere'))),
    ).toBe('world.clusters[0].site')
    expect(
      wrong(
        (world) =>
          void world.clusters[0]?.objects.push(pod({ namespace: 'market', name: 'desk' }), {
            kind: 'Pod',
            metadata: {},
          }),
      ),
    ).toContain('world.clusters[0].objects[')
  })
})
