import { describe, expect, it } from 'vitest'
import { clusterOf, nodesOf } from '~/core/fleet'
import {
  expectations,
  frontMembers,
  readyWorldOf,
  walk,
  walkAnswer,
  walkRemedies,
  type WalkQuery,
} from '~/core/wire'
import type { ChangeRecord } from '../changes/changes'
import { gyrarchForEach, runOut, type Opened } from '../testing/open'
import { ofKind, record } from '~/core/objects'

let opened: Opened
gyrarchForEach((made) => (opened = made))

const draft = (kind: string, intent: unknown): Promise<ChangeRecord> =>
  opened.gyrarch.changes.draft(kind, intent)
async function run(kind: string, intent: unknown): Promise<ChangeRecord> {
  const { gyrarch } = opened
  const drafted = await draft(kind, intent)
  expect(
    drafted.findings.filter((finding) => finding.level === 'stop').map((finding) => finding.says),
  ).toEqual([])
  await gyrarch.changes.run(drafted.id, {
    accept: drafted.findings.map((finding) => finding.key),
    confirm: drafted.guardedBy ?? undefined,
  })
  return runOut(gyrarch, drafted.id)
}
async function go(query: WalkQuery) {
  const view = await opened.gyrarch.fleet.viewFor([], ['cluster/bramble'])
  const read = readyWorldOf(view)
  if (!read.ok) throw new Error(read.says)
  const walkRead = walk(read.world, query)
  if (!walkRead.ok) throw new Error(walkRead.says)
  return { ...walkAnswer(walkRead.walk), remedies: walkRemedies(read.world, query, walkRead.walk) }
}
const podOf = async (workload: string, namespace = 'market'): Promise<string> => {
  const objects =
    (await opened.gyrarch.observe.objects('bramble', { kind: 'Pod', namespace })) ?? []
  const running = ofKind(objects, 'Pod').find(
    (pod) => pod.metadata.name.startsWith(`${workload}-`) && pod.status?.phase === 'Running',
  )
  return `${namespace}/${running?.metadata.name ?? ''}`
}
const failing = async (from: string, to: string): Promise<number> => {
  const flow = (await opened.gyrarch.fleet.trafficOf('bramble')).find(
    (entry) => entry.from === from && entry.to === to,
  )
  const now = flow?.spans.find((span) => span.until === null)
  return now && now.perSecond > 0 ? now.failing / now.perSecond : NaN
}
const says = (record: ChangeRecord, level: string): readonly string[] =>
  record.findings.filter((finding) => finding.level === level).map((finding) => finding.says)

describe('what is expected', () => {
  it('may name a deployment: it stands for its first running pod, from fact to proof', async () => {
    const { gyrarch } = opened
    await gyrarch.expectations.keep({
      name: 'the loop reaches the bureau',
      from: { pod: 'climate/climate-loop', cluster: 'bramble' },
      to: { address: '10.88.4.20' },
      port: 8443,
      protocol: 'TCP',
      delivered: true,
    })
    const held = async () => {
      const view = await gyrarch.fleet.withExpected(await gyrarch.fleet.view())
      return expectations(view).map(({ holds, hop }) => ({ holds, hop }))
    }
    expect(await held()).toEqual([{ holds: false, hop: 'acceptance' }])
    const add = ['10.88.4.20/32']
    const done = await run('wire.keep-source', { cluster: 'bramble', add, remove: [] })
    expect(done.proof?.map(({ says, holds }) => [says, holds])).toContainEqual([
      'the loop reaches the bureau: reached',
      true,
    ])
    expect(await held()).toEqual([{ holds: true, hop: 'way-back' }])
  })
})

describe('the weather bureau', () => {
  it('refuses the nodes’ addresses; the narrowest remedy, applied, lets it answer', async () => {
    const loop = { pod: await podOf('climate-loop', 'climate'), cluster: 'bramble' }
    const query: WalkQuery = {
      from: loop,
      to: { name: 'bureau.fernhollow.example' },
      port: 8443,
      protocol: 'TCP',
    }
    const before = await go(query)
    expect(before.decided).toEqual({ hop: 'acceptance', by: 'weather-bureau' })
    expect(before.remedies).toMatchObject([
      { kind: 'keep-source', patch: [{ value: '10.88.4.20/32' }] },
    ])
    expect(await failing('climate/climate-loop', '10.88.4.20')).toBe(1)
    const done = await run('wire.keep-source', { cluster: 'bramble', add: ['10.88.4.20/32'] })
    expect(done.state).toBe('done')
    expect((await go(query)).verdict).toBe('delivered')
    expect(await failing('climate/climate-loop', '10.88.4.20')).toBe(0)
    expect((await go(query)).hops.find(({ hop }) => hop === 'masquerade')?.by).toBe('10.88.4.20/32')
  })
})

describe('the API outside', () => {
  it('cut off by a rule turns nodes not ready within their grace; the walk names the rule; switching it off heals', async () => {
    const { gyrarch } = opened
    const drafted = await draft('wire.firewall', {
      site: 'palisade-east',
      enable: ['uplink-closed'],
    })
    expect(says(drafted, 'caution').join(' ')).toMatch(
      /7 nodes of bramble would no longer reach bramble-api \(firewall-out: uplink-closed\)/,
    )
    expect(
      (await run('wire.firewall', { site: 'palisade-east', enable: ['uplink-closed'] })).state,
    ).toBe('done')
    await gyrarch.outside.advance(70)
    const nodes = async () =>
      nodesOf(clusterOf(await gyrarch.fleet.view(), 'bramble') ?? (undefined as never)).map(
        (node) => node.conditions.find((condition) => condition.type === 'Ready')?.status,
      )
    expect(new Set(await nodes())).toEqual(new Set(['Unknown']))
    const result = await go({
      from: { node: 'bramble-general-1', cluster: 'bramble' },
      to: { address: '198.51.100.250' },
      port: 443,
      protocol: 'TCP',
    })
    expect(result.decided).toEqual({ hop: 'firewall-out', by: 'uplink-closed' })
    expect(result.remedies.map(({ kind }) => kind)).toEqual(['allow-out', 'rule-off'])
    expect(
      (await run('wire.firewall', { site: 'palisade-east', disable: ['uplink-closed'] })).state,
    ).toBe('done')
    await gyrarch.outside.advance(5)
    expect(new Set(await nodes())).toEqual(new Set(['True']))
    // Longer: nothing is evicted where it is the way that is broken, and what health keeping restarted meanwhile comes back too.
    await run('wire.firewall', { site: 'palisade-east', enable: ['uplink-closed'] })
    await gyrarch.outside.advance(470)
    expect((await podOf('market-desk-v1')).length).toBeGreaterThan(10)
    await run('wire.firewall', { site: 'palisade-east', disable: ['uplink-closed'] })
    await gyrarch.outside.advance(600)
    expect(new Set(await nodes())).toEqual(new Set(['True']))
  })
})

describe('ports of nodes', () => {
  it('nothing listens on are refused there, in the walk as outside; members of a hall are its workload nodes', async () => {
    const { gyrarch } = opened
    const view = await gyrarch.fleet.view()
    const address = nodesOf(clusterOf(view, 'dill') ?? (undefined as never))[0]?.address ?? ''
    const from = { node: 'cedar-general-1', cluster: 'cedar' } as const
    const refused = await go({ from, to: { address }, port: 9999, protocol: 'TCP' })
    expect(refused.decided.hop).toBe('acceptance')
    expect((await go({ from, to: { address }, port: 10_250, protocol: 'TCP' })).verdict).toBe(
      'delivered',
    )
    const cedar = clusterOf(view, 'cedar')
    const site = view.sites.find((candidate) => candidate.name === 'mossgate')
    expect(cedar && site && frontMembers(cedar, site).map((node) => node.pool)).not.toContain(
      'control-plane',
    )
  })
})

describe('the market', () => {
  const shut = {
    cluster: 'bramble',
    namespace: 'market',
    name: 'ledger-callers',
    spec: {
      podSelector: { matchLabels: { app: 'ledger-view' } },
      ingress: [
        {
          from: [{ podSelector: { matchLabels: { app: 'market-desk-v1' } } }],
          ports: [{ port: 8443 }],
        },
      ],
    },
  }
  it('a policy tells what it would cut off, cuts it off, and what was expected is proven', async () => {
    const { gyrarch } = opened
    const ledger = { service: 'market/ledger-view', cluster: 'bramble' }
    await gyrarch.expectations.keep({
      name: 'the desk reaches the ledger',
      from: { pod: await podOf('market-desk-v1'), cluster: 'bramble' },
      to: ledger,
      port: 8443,
      delivered: true,
    })
    await gyrarch.expectations.keep({
      name: 'the broker does not',
      from: { pod: await podOf('broker-bot'), cluster: 'bramble' },
      to: ledger,
      port: 8443,
      delivered: false,
    })
    await gyrarch.expectations.keep({
      name: 'the new desk reaches it too',
      from: { pod: await podOf('market-desk-v2'), cluster: 'bramble' },
      to: ledger,
      port: 8443,
      delivered: true,
    })
    const held = async () =>
      expectations(await gyrarch.fleet.viewFor([], ['cluster/bramble'])).map((expectation) => [
        expectation.name,
        expectation.holds,
      ])
    expect(Object.fromEntries(await held())).toEqual({
      'the desk reaches the ledger': true,
      'the broker does not': false,
      'the new desk reaches it too': true,
    })
    const drafted = await draft('wire.policy', shut)
    const cautions = says(drafted, 'caution').join(' ')
    expect(cautions).toContain(
      'market/market-desk-v2 to market/ledger-view:8443 would end at policy-in (market/ledger-callers)',
    )
    expect(cautions).toContain('“the new desk reaches it too” would no longer hold')
    const wider = {
      ...shut,
      spec: {
        ...shut.spec,
        ingress: [
          {
            from: [
              {
                podSelector: {
                  matchExpressions: [
                    { key: 'app', operator: 'In', values: ['market-desk-v1', 'market-desk-v2'] },
                  ],
                },
              },
            ],
            ports: [{ port: 8443 }],
          },
        ],
      },
    }
    const done = await run('wire.policy', wider)
    expect(done.state).toBe('done')
    expect(done.proof?.filter((proof) => !proof.holds)).toEqual([])
    expect(done.proof?.map((proof) => proof.says)).toContain('the broker does not: not reached')
    expect([
      await failing('market/broker-bot', 'market/ledger-view'),
      await failing('market/market-desk-v2', 'market/ledger-view'),
    ]).toEqual([1, 0])
    await gyrarch.changes.run((await draft('wire.policy', { ...wider, remove: true })).id, {
      accept: (await draft('wire.policy', { ...wider, remove: true })).findings.map(
        (finding) => finding.key,
      ),
      confirm: 'bramble',
    })
    await gyrarch.outside.advance(30)
    expect(await failing('market/broker-bot', 'market/ledger-view')).toBe(0)
  })

  it('callers that are not listed are refused once the namespace is closed, and those listed are not', async () => {
    const rule = {
      name: 'desks',
      service: 'ledger-view',
      callers: [{ serviceAccount: 'market-desk-v1' }, { serviceAccount: 'market-desk-v2' }],
    }
    const alone = await draft('wire.callers', {
      cluster: 'bramble',
      namespace: 'market',
      unlisted: 'closed',
    })
    expect(says(alone, 'caution').join(' ')).toContain(
      'market/broker-bot (broker-bot) would be refused by ledger-view',
    )
    expect(
      (
        await run('wire.callers', {
          cluster: 'bramble',
          namespace: 'market',
          unlisted: 'closed',
          rule,
        })
      ).state,
    ).toBe('done')
    expect([
      await failing('market/broker-bot', 'market/ledger-view'),
      await failing('market/market-desk-v1', 'market/ledger-view'),
    ]).toEqual([1, 0])
    expect(await failing('market/market-desk-v1', 'market/price-feed')).toBe(1)
  })

  const weights = async () =>
    ofKind(
      (await opened.gyrarch.observe.objects('bramble', { kind: 'HTTPRoute' })) ?? [],
      'HTTPRoute',
    )[0]?.spec?.rules?.[0]?.backendRefs?.map((backend) => backend.weight)
  const shift = {
    cluster: 'bramble',
    route: 'market/market-desk',
    weights: { 'market-desk-v1': 0, 'market-desk-v2': 1 },
    steps: 5,
    everySeconds: 60,
    failures: 0.05,
  }

  it('moves to the new version in five steps, and the calls with it', async () => {
    const drafted = await draft('wire.shift', shift)
    expect(
      drafted.plan?.steps.filter((step) => step.id.startsWith('set:')).map((step) => step.says),
    ).toEqual([
      'market-desk-v1 60 %, market-desk-v2 40 %',
      'market-desk-v1 45 %, market-desk-v2 55 %',
      'market-desk-v1 30 %, market-desk-v2 70 %',
      'market-desk-v1 15 %, market-desk-v2 85 %',
      'market-desk-v1 0 %, market-desk-v2 100 %',
    ])
    const done = await run('wire.shift', shift)
    expect(done.state).toBe('done')
    expect(await weights()).toEqual([0, 1])
    const rate = (await opened.gyrarch.fleet.trafficOf('bramble'))
      .find((flow) => flow.to === 'market/market-desk-v2')
      ?.spans.find((span) => span.until === null)?.perSecond
    expect(rate).toBe(12)
  })

  it('is drafted with what each endpoint would take, and with what fails there already', async () => {
    const cautionsOf = async () =>
      ((await draft('wire.shift', shift)).findings ?? [])
        .filter(({ level }) => level === 'caution')
        .map(({ says }) => says)
    expect(await cautionsOf()).toEqual([
      'market-desk-v2 has 1 ready endpoint: each would take 12 calls a second, where one takes 3 now.',
    ])
    await opened.gyrarch.putFault({
      fault: 'answers-fail',
      about: 'workload/bramble/market/market-desk-v2',
      mode: 'permanent',
      times: 1,
      afterSeconds: 0,
    })
    await opened.gyrarch.outside.advance(120)
    expect(await cautionsOf()).toContain('50 % of the calls to market-desk-v2 fail as it is now.')
  })

  it('turns back by itself when the new version fails', async () => {
    const { gyrarch } = opened
    await gyrarch.putFault({
      fault: 'answers-fail',
      about: 'workload/bramble/market/market-desk-v2',
      mode: 'permanent',
      times: 1,
      afterSeconds: 100,
    })
    const done = await run('wire.shift', shift)
    expect(done.state).toBe('taken-back')
    expect(await weights()).toEqual([3, 1])
    expect(done.steps.filter((step) => step.state === 'undone').map((step) => step.id)).toContain(
      'set:2',
    )
    expect(done.steps.find((step) => step.id === 'watch:2')?.cause?.reason).toBe('guard')
  })
})

describe('what goes in and out', () => {
  it('a service asks for an address of the pool, gets the lowest free one, and waits with the reason where there is none', async () => {
    const service = (name: string, ip = '') =>
      `apiVersion: v1\nkind: Service\nmetadata: {name: ${name}, namespace: market}\nspec: {type: LoadBalancer, ${ip === '' ? '' : `loadBalancerIP: ${ip}, `}selector: {app: price-feed}, ports: [{port: 8080}]}\n---\n`
    const drafted = await draft('manifest.apply', {
      cluster: 'bramble',
      text: service('prices') + service('outside', '10.1.1.1'),
    })
    expect(says(drafted, 'note').join(' ')).toContain(
      'market/prices would be reached at 198.51.100.2',
    )
    expect(says(drafted, 'caution').join(' ')).toContain(
      'market/outside would wait for a virtual address: 10.1.1.1 is not in the pool',
    )
    expect(
      (
        await run('manifest.apply', {
          cluster: 'bramble',
          text:
            service('prices') + service('asked', '198.51.100.9') + service('outside', '10.1.1.1'),
        })
      ).state,
    ).toBe('done')
    const site = (await opened.gyrarch.fleet.view()).sites.find(
      (site) => site.name === 'palisade-east',
    )
    expect(site?.balancers.map((balancer) => [balancer.service, balancer.address])).toEqual([
      ['platform/ingress', '198.51.100.1'],
      ['market/prices', '198.51.100.2'],
      ['market/asked', '198.51.100.9'],
    ])
    const listed = await opened.gyrarch.observe.objects('bramble', {
      kind: 'Service',
      namespace: 'market',
    })
    expect(
      listed?.find((object) => record(object['metadata'])['name'] === 'outside')?.['status'],
    ).toMatchObject({
      conditions: [{ message: expect.stringContaining('is not in the pool') as string }],
    })
  })
  it('a host is led to a service, with its record; rules, pools and translations are refused where they are wrong', async () => {
    const lead = {
      cluster: 'bramble',
      namespace: 'market',
      name: 'prices',
      host: 'prices.fernhollow.example',
      path: '/',
      service: 'price-feed',
      record: true,
    }
    expect((await run('wire.ingress', lead)).state).toBe('done')
    const site = async () =>
      (await opened.gyrarch.fleet.view()).sites.find((site) => site.name === 'palisade-east')
    expect((await site())?.records.find((record) => record.name === 'prices')?.value).toBe(
      '198.51.100.1',
    )
    const refused = async (kind: string, intent: unknown): Promise<string> =>
      says(await draft(kind, intent), 'stop').join(' ')
    expect(await refused('wire.ingress', { ...lead, host: 'a.*.example' })).toContain(
      'wild card in the wrong place',
    )
    expect(
      await refused('wire.firewall', {
        site: 'palisade-east',
        put: [{ name: 'x', priority: 1, direction: 'in', action: 'deny', ports: ['90-80'] }],
      }),
    ).toContain('Write 80-90')
    expect(
      await refused('wire.firewall', { site: 'palisade-east', disable: ['nothing'] }),
    ).toContain('has no rule nothing')
    expect(
      await refused('wire.translation', {
        site: 'palisade-east',
        put: [{ name: 'x', priority: 1, kind: 'translate' }],
      }),
    ).toContain('needs the address')
    expect(
      await refused('wire.keep-source', { cluster: 'bramble', add: ['10.88.4.20/24'] }),
    ).toContain('10.88.4.0/24')
    expect(
      await refused('wire.pool', { site: 'mossgate', pool: '10.20.40.1-10.20.40.9' }),
    ).toContain('gateway 10.20.40.1')
    expect(
      await refused('wire.shift', {
        ...{ cluster: 'bramble', route: 'market/market-desk' },
        weights: { 'market-desk-v1': 0 },
      }),
    ).toContain('sum to 0')
    expect(
      await refused('wire.policy', {
        cluster: 'bramble',
        namespace: 'market',
        name: 'x',
        spec: { podSelector: {}, ingress: [{ from: [{ ipBlock: { cidr: '10.0.0.1/8' } }] }] },
      }),
    ).toContain('10.0.0.0/8')
  })
  it('a rule put before others decides, and what it covers is told', async () => {
    const put = [
      {
        name: 'all-web',
        priority: 90,
        direction: 'in',
        action: 'allow',
        protocol: 'tcp',
        ports: ['1-65535'],
      },
    ]
    const drafted = await draft('wire.firewall', { site: 'palisade-east', put })
    expect(says(drafted, 'caution').join(' ')).toContain(
      'web-in would never decide: all-web takes all it is for',
    )
    expect((await run('wire.firewall', { site: 'palisade-east', put })).state).toBe('done')
    expect(
      (await opened.gyrarch.fleet.view()).sites
        .find((site) => site.name === 'palisade-east')
        ?.firewall?.map((rule) => rule.name)
        .slice(0, 3),
    ).toEqual(['uplink-closed', 'all-web', 'web-in'])
  })
})
