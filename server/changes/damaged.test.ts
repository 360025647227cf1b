/** Every kind of change, drafted with something wrong in it: a refusal that says why, or findings, and nothing breaks. */
import fc from 'fast-check'
import { expect, it } from 'vitest'
import { kinds } from '~/core/kinds'
import { damaged } from '../testing/damaged'
import { birch, elm, fernlet, gyrarchForAll, type Opened } from '../testing/open'
import { Refusal } from './errors'

let opened: Opened
gyrarchForAll((made) => (opened = made))

const hall = 'mossgate'
const cloud = 'palisade-east'
const deployment = {
  cluster: 'bramble',
  kind: 'Deployment',
  namespace: 'market',
  name: 'price-feed',
}
const rule = {
  name: 'no-mail',
  priority: 90,
  direction: 'out',
  action: 'deny',
  from: ['10.44.0.0/22'],
  to: ['0.0.0.0/0'],
  protocol: 'tcp',
  ports: ['25', '465-587'],
  enabled: true,
}

/** A draft of each kind, sound or nearly so. */
const drafts: readonly (readonly [string, unknown])[] = [
  ['cluster.raise', fernlet],
  ['cluster.raise', elm],
  ['cluster.raise', birch],
  ['cluster.takedown', { cluster: 'dill' }],
  [
    'cluster.enrol',
    {
      name: 'thistle',
      reach: { kind: 'inbound', accessFile: 'kind: Config\ncurrent-context: a\ncontexts: []' },
      labels: { team: 'orchids' },
    },
  ],
  ['cluster.dismiss', { cluster: 'dill' }],
  ['cluster.stop', { cluster: 'dill' }],
  ['cluster.start', { cluster: 'dill' }],
  [
    'cluster.rest',
    {
      cluster: 'dill',
      zone: 'Europe/Berlin',
      windows: [{ days: ['mon', 'tue'], stop: '20:00', start: '06:00' }],
    },
  ],
  ['cluster.label', { cluster: 'dill', labels: { team: 'orchids' }, guarded: true }],
  ['cluster.autoscale', { cluster: 'bramble', enabled: true, order: 'cheapest' }],
  ['cluster.renew-certificates', { cluster: 'cedar' }],
  ['cluster.backup', { cluster: 'cedar', backup: 'before' }],
  ['cluster.restore', { cluster: 'cedar', backup: 'before' }],
  [
    'pool.add',
    {
      cluster: 'bramble',
      pool: 'night',
      size: 'post-4-16',
      count: 2,
      lifetime: 'spot',
      range: { min: 0, max: 4 },
      taints: [{ key: 'use', value: 'night', effect: 'NoSchedule' }],
    },
  ],
  [
    'pool.edit',
    {
      cluster: 'bramble',
      pool: 'general',
      labels: { use: 'all' },
      taints: [{ key: 'use', value: 'all', effect: 'NoExecute' }],
    },
  ],
  ['pool.edit', { cluster: 'bramble', pool: 'general', size: 'post-8-32' }],
  ['pool.resize', { cluster: 'bramble', pool: 'general', count: 5, range: { min: 1, max: 9 } }],
  ['pool.remove', { cluster: 'bramble', pool: 'overnight-spot' }],
  ['node.cordon', { cluster: 'bramble', node: 'bramble-general-1', open: false }],
  ['node.drain', { cluster: 'bramble', nodes: ['bramble-general-1'], allowLocalData: true }],
  ['machine.restart', { cluster: 'bramble', node: 'bramble-general-1', reason: 'slow' }],
  ['machine.replace', { cluster: 'bramble', node: 'bramble-general-1', reason: 'slow' }],
  [
    'manifest.apply',
    {
      cluster: 'bramble',
      text: 'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: a, namespace: market}\ndata: {a: b}\n',
      manager: 'hand',
      resolve: { 'v1 ConfigMap market/a data.a': 'take' },
    },
  ],
  [
    'manifest.remove',
    { cluster: 'bramble', objects: [{ apiVersion: 'apps/v1', ...deployment, cluster: undefined }] },
  ],
  ['workload.restart', deployment],
  ['workload.undo', { ...deployment, revision: 1 }],
  ['spend.prices', { prices: [{ site: cloud, item: 'size/post-4-16', units: 0.336 }] }],
  [
    'site.add',
    {
      name: 'larch',
      title: 'Larch',
      kind: 'hall',
      domain: 'larch',
      zones: ['a'],
      hosts: [],
      networks: [],
      nameServers: ['10.9.0.2'],
      timeServers: ['time.fernhollow.example'],
    },
  ],
  [
    'site.edit',
    { site: hall, addZones: ['west'], removeZones: [], overcommit: 2, reservePerZone: 1 },
  ],
  ['site.remove', { site: hall }],
  [
    'site.network',
    {
      site: hall,
      network: 'spare',
      range: '10.20.96.0/24',
      role: 'private',
      vlan: 90,
      gateway: '10.20.96.1',
      dhcp: '10.20.96.10-10.20.96.99',
      mtu: 1500,
    },
  ],
  [
    'site.machines',
    {
      site: 'gh-12',
      add: [
        {
          name: 'box',
          zone: 'gh-12',
          cores: 4,
          memoryGiB: 8,
          disks: [{ identifier: '/dev/disk/by-id/x', sizeGb: 100 }],
          cards: [{ name: 'a', mac: '02:00:00:00:00:01', address: '10.77.12.9' }],
        },
      ],
    },
  ],
  ['site.service', { site: hall, service: 'time' }],
  [
    'window.set',
    {
      name: 'lamp hours',
      start: '2026-03-03T23:00',
      zone: 'Europe/Lisbon',
      minutes: 90,
      rule: 'FREQ=WEEKLY;BYDAY=TU',
      except: ['2026-04-04'],
      clusters: ['dill'],
      labels: { stage: 'production' },
    },
  ],
  ['window.remove', { name: 'archive' }],
  [
    'set.run',
    {
      label: 'spring work',
      drafts: [
        { kind: 'window.remove', intent: { name: 'archive' }, window: 'hall nights' },
        { kind: 'pool.resize', intent: { cluster: 'bramble', pool: 'base', count: 4 } },
      ],
      atOnce: 1,
      soakSeconds: 60,
      requires: 'well',
      onFailure: 'halt',
    },
  ],
  ['site.contact', { site: hall, address: 'http://10.20.0.254:4600' }],
  ['site.quota', { site: cloud, cores: 200 }],
  ['site.hosts', { site: hall, hosts: ['host-1'], service: 'out' }],
  ['ledger.enter', { add: [{ domain: 'a', range: '10.9.0.0/24', name: 'x' }], remove: [] }],
  ['orphans.remove', { site: cloud, items: [{ kind: 'disk', name: 'x' }] }],
  ['orphans.adopt', { site: cloud, kind: 'disk', name: 'x', cluster: 'bramble' }],
  [
    'storage.class',
    {
      cluster: 'cedar',
      name: 'cellar-any',
      copies: 2,
      zones: 'any',
      binding: 'Immediate',
      only: ['mossgate-a'],
    },
  ],
  [
    'storage.grant',
    { cluster: 'cedar', namespace: 'gathering', class: 'cellar-three', gigabytes: 900 },
  ],
  ['storage.network', { cluster: 'cedar', network: 'mossgate storage', detach: true }],
  [
    'storage.link',
    { cluster: 'cedar', node: 'cedar-storage-3', network: 'mossgate storage', mtu: 9000 },
  ],
  ['volume.resize', { cluster: 'cedar', volume: 'cold-chain-log', gigabytes: 60 }],
  ['volume.copies', { cluster: 'cedar', volume: 'planner-cache', copies: 2 }],
  [
    'volume.move',
    {
      cluster: 'cedar',
      volume: 'gathering-ledger-1',
      from: 'cedar-general-1/bay-1',
      to: 'cedar-general-4/bay-1',
    },
  ],
  ['snapshot.take', { cluster: 'cedar', volume: 'seed-photos', snapshot: 'monday' }],
  ['snapshot.remove', { cluster: 'cedar', volume: 'seed-photos', snapshot: 'monday' }],
  [
    'snapshot.restore',
    { cluster: 'cedar', volume: 'seed-photos', snapshot: 'monday', detach: true },
  ],
  ['disk.add', { cluster: 'cedar', node: 'cedar-general-3', disk: 'bay-2', gigabytes: 400 }],
  ['disk.retire', { cluster: 'cedar', node: 'cedar-general-1', disk: 'bay-1' }],
  [
    'shipment.pack',
    {
      shipment: 'winter',
      site: 'kilnlane',
      release: '1.32.6',
      channel: 'steady',
      images: ['platform/api-server:1.32.6'],
      severity: 'high',
      unsigned: 'held',
      media: [{ name: 'drive-64', count: 3 }],
    },
  ],
  ['shipment.send', { shipment: 'summer', site: 'kilnlane', release: '1.32.6' }],
  [
    'snapshot.schedule',
    {
      cluster: 'cedar',
      volume: 'seed-photos',
      start: '2026-03-03T03:00',
      zone: 'Europe/Berlin',
      rule: 'FREQ=DAILY',
      keep: 7,
    },
  ],
  ['shipment.import', { shipment: 'winter', site: 'kilnlane' }],
  ['registry.rule', { cluster: 'bramble', namespace: 'vision', signed: true, below: 'high' }],
  ['renew.guard', { cluster: 'bramble', namespace: 'market', target: '1.33', action: 'warn' }],
  ['cluster.upgrade', { cluster: 'cedar', to: '1.33.2' }],
  [
    'fleet.upgrade',
    { to: '1.34.1', clusters: [{ cluster: 'alder' }, { cluster: 'cedar', wave: 2 }] },
  ],
  ['registry.close', { registry: 'registry.fernhollow.example', repositories: 'market' }],
  [
    'registry.credential',
    {
      registry: 'registry.fernhollow.example',
      repositories: ['market'],
      cluster: 'bramble',
      namespace: 'market',
      purpose: 'pull',
      days: 30,
    },
  ],
  ['registry.revoke', { registry: 'registry.fernhollow.example', account: 'market.bramble.pull' }],
  ['image.sign', { registry: 'registry.fernhollow.example', image: 'vision/seedling-vision:2' }],
  ['image.withdraw', { registry: 'registry.fernhollow.example', image: 'market/price-feed:1' }],
  ['image.place', { site: hall, release: '1.35.0' }],
  [
    'wire.route',
    { site: hall, network: 'mossgate frontage', to: '10.20.16.0/22', via: '10.20.40.1' },
  ],
  [
    'wire.record',
    {
      site: hall,
      set: [{ name: 'a.fernhollow.example', type: 'A', ttl: 60, value: '10.20.40.9' }],
      remove: [{ name: 'b', type: 'TXT', value: '"x"' }],
    },
  ],
  ['wire.firewall', { site: cloud, put: [rule], enable: ['uplink-closed'] }],
  [
    'wire.translation',
    {
      site: cloud,
      put: [
        {
          name: 'hide',
          priority: 5,
          kind: 'translate',
          from: ['10.44.0.0/22'],
          to: ['0.0.0.0/0'],
          becomes: '172.31.250.3',
          protocol: 'tcp',
        },
      ],
    },
  ],
  ['wire.keep-source', { cluster: 'bramble', add: ['10.88.4.20/32'], remove: [] }],
  ['wire.pool', { site: hall, pool: '10.20.40.100-10.20.40.120' }],
  [
    'wire.policy',
    {
      cluster: 'bramble',
      namespace: 'market',
      name: 'shut',
      spec: {
        podSelector: {
          matchLabels: { app: 'ledger-view' },
          matchExpressions: [{ key: 'app', operator: 'In', values: ['x'] }],
        },
        policyTypes: ['Ingress', 'Egress'],
        ingress: [
          {
            from: [
              { podSelector: {}, namespaceSelector: {} },
              { ipBlock: { cidr: '10.0.0.0/8', except: ['10.1.0.0/16'] } },
            ],
            ports: [{ port: 80, endPort: 90, protocol: 'TCP' }],
          },
        ],
        egress: [{ to: [] }],
      },
    },
  ],
  [
    'wire.callers',
    {
      cluster: 'bramble',
      namespace: 'market',
      unlisted: 'closed',
      rule: {
        name: 'desk',
        service: 'ledger-view',
        callers: [{ serviceAccount: 'market-desk', namespace: 'market' }],
        requests: [{ methods: ['GET'], paths: ['/entries'] }],
      },
    },
  ],
  [
    'wire.shift',
    {
      cluster: 'bramble',
      route: 'market/market-desk',
      rule: 0,
      weights: { 'market-desk-v1': 1, 'market-desk-v2': 3 },
      steps: 3,
      everySeconds: 60,
      failures: 0.1,
    },
  ],
  [
    'wire.ingress',
    {
      cluster: 'bramble',
      namespace: 'market',
      name: 'feed',
      host: '*.fernhollow.example',
      path: '/feed',
      service: 'price-feed',
      port: 8080,
      record: true,
    },
  ],
]

it('has a draft of every kind', () => {
  expect(
    kinds.map((kind) => kind.name).filter((name) => !drafts.some(([known]) => known === name)),
  ).toEqual([])
})

const draftOf = async (kind: string, intent: unknown): Promise<unknown> => {
  try {
    return await opened.gyrarch.changes.draft(kind, intent)
  } catch (error) {
    if (error instanceof Refusal) return error
    throw error
  }
}

it('finds a name taken by a cluster of another site, of which a raise need not see more than its name', async () => {
  const [kind, intent] = drafts.find(([kind]) => kind === 'cluster.raise') ?? ['', {}]
  const drafted = await draftOf(kind, { ...(intent as object), name: 'bramble', site: 'mossgate' })
  expect(drafted).toMatchObject({
    findings: expect.arrayContaining([
      expect.objectContaining({ rule: 'name.taken', field: 'name' }),
    ]) as unknown,
  })
})

it.each(drafts)(
  '%s',
  async (kind, intent) => {
    const plain = JSON.parse(JSON.stringify(intent)) as unknown
    expect(await draftOf(kind, plain)).toMatchObject({ kind })
    await fc.assert(
      fc.asyncProperty(damaged(plain), async (wrong) => {
        const answer = await draftOf(kind, wrong)
        if (!(answer instanceof Refusal)) return
        // The refusal names the field: what was damaged is told, not only that something was.
        expect(answer.code).toBe('invalid')
        expect(answer.fields.length).toBeGreaterThan(0)
        for (const field of answer.fields) {
          expect(field.path).toMatch(/^intent/)
          expect(field.says.length).toBeGreaterThan(3)
        }
      }),
      { numRuns: 25 },
    )
  },
  180_000,
)
