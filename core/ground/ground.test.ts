import { describe, expect, it } from 'vitest'
import { findingsOf, type ChangeKind } from '../changes'
import { addressBook, bareSite, type FleetView, type SiteView } from '../fleet'
import { GiB, writeCsv } from '../units'
import {
  ledgerEnter,
  orphansRemove,
  readLedgerCsv,
  siteAdd,
  siteEdit,
  siteNetwork,
  siteRemove,
  widerDhcp,
  wireRecord,
  wireRoute,
} from '.'
import { bareCluster } from '../testing/bare'

const hall: SiteView = {
  ...bareSite('mossgate', 'hall', 'fernhollow'),
  zones: ['mossgate-a'],
  nameDomain: 'fernhollow.example',
  nameServers: [{ address: '10.20.0.2', answers: true }],
  hosts: [
    {
      name: 'm-a-1',
      zone: 'mossgate-a',
      cores: 32,
      memoryBytes: 256 * GiB,
      diskGb: 4000,
      idleWatts: 140,
      fullWatts: 380,
    },
  ],
  machines: [
    {
      name: 'cedar-general-1',
      zone: 'mossgate-a',
      host: 'm-a-1',
      size: 'rack-8',
      cores: 8,
      memoryBytes: GiB,
      diskGb: 120,
      lifetime: 'on-demand',
      power: 'on',
      address: '10.20.16.50',
      cluster: 'cedar',
    },
  ],
  networks: [
    {
      name: 'nodes',
      range: '10.20.16.0/24',
      role: 'nodes',
      gateway: '10.20.16.1',
      dhcp: '10.20.16.50-10.20.16.59',
    },
  ],
  addresses: [
    { address: '10.20.16.65', network: 'nodes', for: 'a printer', cluster: null, how: 'static' },
  ],
  records: [{ name: 'ns', type: 'A', ttl: 3600, value: '10.20.0.2' }],
}
const view: FleetView = {
  version: 1,
  now: '2026-03-02T06:00:00Z',
  sites: [hall],
  clusters: [],
  ledger: [
    {
      domain: 'fernhollow',
      range: '10.20.16.0/24',
      name: 'nodes',
      holder: 'mossgate',
      kind: 'network',
    },
  ],
  catalogue: [],
  sshKeys: [],
  sshPublic: {},
  credentials: [],
  reservations: [],
  unheard: {},
  workedOn: [],
}

function check<T>(kind: ChangeKind<T>, intent: unknown, on: FleetView = view) {
  return findingsOf(kind, kind.intent.parse(intent), on)
}
const rules = (findings: ReturnType<typeof check>) =>
  findings.map((finding) => `${finding.rule}|${finding.field ?? ''}`)

describe('a network', () => {
  const set = (changes: object) =>
    check(siteNetwork, { site: 'mossgate', network: 'nodes', ...changes })
  it.each([
    [{ range: '10.20.16.5/24' }, 'range.readable|range', 'Use 10.20.16.0/24'],
    [{ dhcp: '10.20.17.1-10.20.17.9' }, 'range.inside|dhcp', null],
    [{ dhcp: '10.20.16.60-10.20.16.70' }, 'range.dhcp-held|dhcp', null],
    [
      { dhcp: '10.20.16.50-10.20.16.59', pool: '10.20.16.55-10.20.16.63' },
      'range.dhcp-pool|pool',
      null,
    ],
    [{ dhcp: '10.20.16.59-10.20.16.50' }, 'range.readable|dhcp', null],
    [{ nameServer: '10.20.16.254' }, 'name-server.answers|nameServer', 'Hand out 10.20.0.2'],
  ])('%j is stopped at its field', (changes, rule, remedy) => {
    const findings = set(changes)
    expect(rules(findings)).toContain(rule)
    expect(
      findings.find((finding) => `${finding.rule}|${finding.field ?? ''}` === rule)?.remedies[0]
        ?.says ?? null,
    ).toBe(remedy)
  })

  it('whose DHCP range is used up is widened as far as nothing static stands in the way', () => {
    expect(widerDhcp(hall.networks[0] ?? { name: '', range: '', role: 'nodes' }, hall)).toBe(
      '10.20.16.45-10.20.16.64',
    )
  })

  it('that others overlap is stopped, and one with addresses held is not removed', () => {
    expect(
      rules(check(siteNetwork, { site: 'mossgate', network: 'more', range: '10.20.16.128/25' })),
    ).toEqual(['range.overlap|range'])
    expect(rules(check(siteNetwork, { site: 'mossgate', network: 'nodes', remove: true }))).toEqual(
      ['network.used|network'],
    )
  })

  it('has no route to itself, nor the same one twice', () => {
    expect(
      rules(
        check(wireRoute, {
          site: 'mossgate',
          network: 'nodes',
          to: '10.20.16.0/25',
          via: '10.20.16.1',
        }),
      ),
    ).toEqual(['route.self|to'])
    expect(
      check(wireRoute, {
        site: 'mossgate',
        network: 'nodes',
        to: '10.9.0.0/16',
        via: '10.20.16.1',
      }),
    ).toEqual([])
  })
})

describe('a site', () => {
  it('is added whole, and each thing wrong with it is named', () => {
    const host = {
      name: 'r-1',
      zone: 'reedbank-a',
      cores: 16,
      memoryGiB: 64,
      diskGb: 1000,
      idleWatts: 90,
      fullWatts: 200,
    }
    const fine = {
      name: 'reedbank',
      kind: 'hall',
      domain: 'fernhollow',
      zones: ['reedbank-a'],
      hosts: [host],
      networks: [{ name: 'reedbank', range: '10.21.0.0/24', role: 'nodes' }],
    }
    expect(check(siteAdd, fine)).toEqual([])
    const wrong = {
      ...fine,
      name: 'mossgate',
      hosts: [{ ...host, zone: 'elsewhere', idleWatts: 300 }, host, host],
      networks: [
        { name: 'x', range: '10.20.16.0/25', role: 'nodes' },
        { name: 'y', range: '10.22.0.1/24', role: 'nodes' },
      ],
    }
    expect(rules(check(siteAdd, wrong)).sort()).toEqual([
      'host.power|hosts[0].fullWatts',
      'host.twice|hosts[1].name',
      'host.twice|hosts[2].name',
      'range.overlap|networks[0].range',
      'range.readable|networks[1].range',
      'site.taken|name',
      'zone.known|hosts[0].zone',
    ])
    for (const finding of check(siteAdd, wrong))
      for (const remedy of finding.remedies) expect(remedy.clears).toContain(finding.key)
  })

  it('keeps hosts and zones that hold machines, and what its machines need', () => {
    expect(rules(check(siteEdit, { site: 'mossgate', removeHosts: ['m-a-1'] })).sort()).toEqual([
      'host.used|removeHosts',
      'hosts.room|removeHosts',
    ])
    expect(rules(check(siteEdit, { site: 'mossgate', removeZones: ['mossgate-a'] }))).toContain(
      'zone.used|removeZones',
    )
    expect(rules(check(siteEdit, { site: 'mossgate' }))).toEqual(['edit.none|site'])
    const more = siteEdit.intent.parse({
      site: 'mossgate',
      addZones: ['mossgate-d'],
      addHosts: [{ name: 'm-d-1', zone: 'mossgate-d', cores: 32, memoryGiB: 256, diskGb: 4000 }],
    })
    expect(findingsOf(siteEdit, more, view)).toEqual([])
    expect(siteEdit.after?.(more, view).sites[0]?.hosts.map((host) => host.zone)).toEqual([
      'mossgate-a',
      'mossgate-d',
    ])
  })

  it('is removed only once nothing stands there', () => {
    expect(check(siteRemove, { site: 'mossgate' }).map((finding) => finding.rule)).toEqual([
      'site.machines',
    ])
    expect(
      check(siteRemove, { site: 'mossgate' }, { ...view, sites: [{ ...hall, machines: [] }] }),
    ).toEqual([])
  })
})

describe('what no cluster owns', () => {
  it('is removed, but nothing that a cluster owns', () => {
    const owned = {
      ...view,
      clusters: [bareCluster('cedar', 'mossgate')],
    }
    expect(
      rules(
        check(
          orphansRemove,
          { site: 'mossgate', items: [{ kind: 'machine', name: 'cedar-general-1' }] },
          owned,
        ),
      ),
    ).toEqual(['orphans.owned|items'])
    expect(
      check(orphansRemove, {
        site: 'mossgate',
        items: [{ kind: 'machine', name: 'cedar-general-1' }],
      }),
    ).toEqual([])
    expect(check(orphansRemove, { site: 'mossgate', items: [] })[0]?.remedies[0]?.says).toBe(
      'All 2',
    )
  })
})

describe('name records', () => {
  const set = (record: object) =>
    check(wireRecord, {
      site: 'mossgate',
      set: [{ name: 'desk', type: 'A', value: '10.20.40.33', ...record }],
    })
  it('are set if they can be read, and the serial rises with them', () => {
    expect(set({})).toEqual([])
    expect(rules(set({ value: 'nowhere' }))).toEqual(['record.value|set[0].value'])
    expect(rules(set({ type: 'WKS' }))).toEqual(['record.type|set[0].type'])
    expect(rules(set({ name: 'ns', type: 'CNAME', value: 'desk.fernhollow.example.' }))).toEqual([
      'record.set|set|0',
    ])
    const soa = {
      name: '@',
      type: 'SOA',
      ttl: 3600,
      value: 'ns.fernhollow.example. h.fernhollow.example. 4294967295 1 2 3 4',
    }
    const after = wireRecord.after?.(
      wireRecord.intent.parse({
        site: 'mossgate',
        set: [{ name: 'desk', type: 'A', value: '10.20.40.33' }],
      }),
      { ...view, sites: [{ ...hall, records: [soa] }] },
    )
    expect(after?.sites[0]?.records[0]?.value).toBe(
      'ns.fernhollow.example. h.fernhollow.example. 0 1 2 3 4',
    )
  })
})

describe('a ledger as CSV', () => {
  it('names each bad line by its number and gives the good ones', () => {
    const text =
      'Domain,Range,Name\nfernhollow,10.99.0.0/24,looms\nfernhollow,10.99.1.5/24,host bits\n,10.99.2.0/24,no domain\nfernhollow,10.99.3.9-10.99.3.1,reversed\nfernhollow,10.99.0.0/24,looms\nfernhollow,fd00:0::/48,"six, with a comma"\n\nfernhollow,10.20.16.0/24,nodes\n'
    const read = readLedgerCsv(text, view)
    expect(read.good).toEqual([
      { domain: 'fernhollow', range: '10.99.0.0/24', name: 'looms' },
      { domain: 'fernhollow', range: 'fd00::/48', name: 'six, with a comma' },
    ])
    expect(read.bad.map((entry) => entry.line)).toEqual([3, 4, 5, 6])
    expect(read.bad[0]?.says).toContain('10.99.1.0/24')
    expect(read.alreadyKnown).toBe(1)
  })

  it('of 10,000 lines with every tenth bad gives the other 9,000', () => {
    const lines = Array.from({ length: 10_000 }, (_, i) =>
      i % 10 === 9
        ? `fernhollow,10.300.${i}.0/24,bad`
        : `fernhollow,172.${16 + (i >> 12)}.${(i >> 4) & 255}.${(i & 15) * 16}/28,row ${i}`,
    )
    const read = readLedgerCsv(`domain,range,name\n${lines.join('\n')}`, view)
    expect([read.good.length, read.bad.length, read.bad[0]?.line]).toEqual([9000, 1000, 11])
  })

  it('without its columns is refused with what is missing', () =>
    expect(readLedgerCsv('range;name\n', view).bad).toEqual([
      { line: 1, says: expect.stringMatching(/lacks domain/) },
    ]))

  it('is entered with a word where a range cuts through another', () => {
    expect(
      rules(
        check(ledgerEnter, {
          add: [{ domain: 'fernhollow', range: '10.20.16.128-10.20.17.9', name: 'across' }],
        }),
      ),
    ).toEqual(['range.overlap|add[0].range'])
    expect(
      check(ledgerEnter, {
        add: [{ domain: 'fernhollow', range: '10.20.0.0/16', name: 'the block it is cut from' }],
      }),
    ).toEqual([])
  })
})

describe('the address book', () => {
  it('written as CSV and read back as it is drafts nothing', () => {
    const fleet: FleetView = {
      ...view,
      ledger: [
        ...view.ledger,
        {
          domain: 'fernhollow',
          range: '10.90.0.0/24',
          name: '=odd, but a name',
          holder: '',
          kind: 'entered',
        } as never,
      ],
    }
    const text = writeCsv(
      ['domain', 'range', 'name', 'kind', 'holder'],
      addressBook(fleet).map(({ domain, range, name, kind, about }) => [
        domain,
        range,
        name,
        kind,
        about ?? '',
      ]),
    )
    const read = readLedgerCsv(text, fleet)
    expect(read.bad).toEqual([])
    expect(read.good).toEqual([])
    expect(read.alreadyKnown).toBe(addressBook(fleet).length)
  })
})
