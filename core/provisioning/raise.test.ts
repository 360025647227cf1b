import { describe, expect, it } from 'vitest'
import type { FleetView } from '../fleet'
import { findingsOf, patchDraft } from '../changes'
import { demoFleet } from '../testing/demo-fleet'
import { birch, elm, fernlet } from '../testing/drafts'
import { clusterRaise, type RaiseIntent, raiseIntent } from '.'

const view: FleetView = demoFleet()

const draft = (base: object, changes: Record<string, unknown> = {}): RaiseIntent =>
  raiseIntent.parse({ ...structuredClone(base), ...changes })
const box = (changes: Record<string, unknown>): RaiseIntent =>
  draft(elm, { machines: [{ ...structuredClone(elm.machines[0]), ...changes }] })
const stops = (intent: RaiseIntent) =>
  findingsOf(clusterRaise, intent, view).filter((finding) => finding.level === 'stop')

describe('a sound draft', () => {
  it.each([
    ['on the box', elm],
    ['in the cloud', fernlet],
    ['in the hall', birch],
  ])('%s has no stop', (_where, base) => expect(stops(draft(base))).toEqual([]))
})

/** What is wrong, the rule that says so, its field, and the remedy that clears it (null where none is known). */
const wrong: readonly (readonly [string, () => RaiseIntent, string, string, string | null])[] = [
  ['no name', () => draft(elm, { name: '' }), 'name.label', 'name', null],
  [
    'a name with capitals and blanks',
    () => draft(elm, { name: 'Elm Twelve' }),
    'name.label',
    'name',
    'Call it elm-twelve',
  ],
  [
    'a name of 64 letters',
    () => draft(elm, { name: 'e'.repeat(64) }),
    'name.label',
    'name',
    `Call it ${'e'.repeat(63)}`,
  ],
  ['a taken name', () => draft(elm, { name: 'cedar' }), 'name.taken', 'name', 'Call it cedar-2'],
  ['an unknown site', () => draft(elm, { site: 'nowhere' }), 'site.known', 'site', null],
  [
    'an unknown release',
    () => draft(fernlet, { release: '1.33.9' }),
    'release.available',
    'release',
    'Use 1.33.2',
  ],
  [
    'a withdrawn release',
    () => draft(birch, { release: '1.32.1' }),
    'release.withdrawn',
    'release',
    'Use 1.34.1',
  ],
  [
    'a release without an image here',
    () => draft(fernlet, { release: '1.33.0' }),
    'image.present',
    'release',
    'Use 1.33.2',
  ],
  [
    'a size not offered',
    () => draft(fernlet, { pools: [{ name: 'general', size: 'rack-4', count: 1 }] }),
    'size.offered',
    'pools[0].size',
    'Use reed-4-16',
  ],
  [
    'a size not offered in a zone',
    () =>
      draft(fernlet, {
        site: 'palisade-east',
        pools: [{ name: 'general', size: 'post-8-64-g1', count: 3 }],
      }),
    'size.zone',
    'pools[0].size',
    'Put general in east-1 and east-2',
  ],
  [
    'an unknown zone',
    () =>
      draft(fernlet, {
        pools: [{ name: 'general', size: 'reed-2-8', count: 1, zones: ['north-9'] }],
      }),
    'zone.known',
    'pools[0].zones',
    'Use north-1 and north-2',
  ],
  [
    'a quota overrun',
    () => draft(fernlet, { pools: [{ name: 'general', size: 'reed-4-16', count: 6 }] }),
    'quota.cores',
    'pools',
    '5 nodes in general',
  ],
  [
    'more than the hosts hold',
    () => draft(birch, { pools: [{ name: 'general', size: 'rack-8', count: 40 }] }),
    'hosts.room',
    'pools',
    '18 nodes in general',
  ],
  [
    'more than the hosts hold, in several pools',
    () =>
      draft(birch, {
        pools: ['general', 'batch', 'store'].map((name) => ({ name, size: 'rack-8', count: 19 })),
      }),
    'hosts.room',
    'pools',
    '6 nodes in general, 6 nodes in batch and 6 nodes in store',
  ],
  [
    'a quota overrun by several pools',
    () =>
      draft(fernlet, {
        pools: ['general', 'batch', 'store'].map((name) => ({ name, size: 'reed-4-16', count: 4 })),
      }),
    'quota.cores',
    'pools',
    '2 nodes in general, 2 nodes in batch and 1 node in store',
  ],
  [
    'a walk to a cluster that is not there',
    () =>
      draft(fernlet, {
        expects: [
          {
            name: 'the desk',
            from: { address: '10.88.4.20' },
            to: { service: 'a/b', cluster: 'rush' },
            port: 80,
          },
        ],
      }),
    'expects.cluster.0',
    'expects[0]',
    'Leave out “the desk”',
  ],
  [
    'a root disk too small',
    () =>
      draft(fernlet, { pools: [{ name: 'general', size: 'reed-2-8', count: 1, rootDiskGb: 20 }] }),
    'root-disk.minimum',
    'pools[0].rootDiskGb',
    'Set it to 30 GB',
  ],
  [
    'no control plane',
    () => draft(birch, { controlPlane: { kind: 'own', count: 0 } }),
    'control-plane.count',
    'controlPlane.count',
    'Use 3 control-plane machines',
  ],
  [
    'two control-plane machines',
    () => draft(birch, { controlPlane: { kind: 'own', count: 2 } }),
    'control-plane.count',
    'controlPlane.count',
    'Use 3 control-plane machines',
  ],
  [
    'a managed control plane in a hall',
    () => draft(birch, { controlPlane: { kind: 'managed', tier: 'plain' } }),
    'control-plane.managed',
    'controlPlane.kind',
    'Three own control-plane machines',
  ],
  [
    'nobody to run workloads',
    () => draft(fernlet, { pools: [] }),
    'workers.none',
    'pools',
    'Add a pool of 2 reed-2-8',
  ],
  [
    'two pools of one name',
    () => draft(fernlet, { pools: [fernlet.pools[0], fernlet.pools[0]] }),
    'pool.twice',
    'pools[1].name',
    'Call this one general-2',
  ],
  [
    'a range upside down',
    () =>
      draft(fernlet, { pools: [{ name: 'general', size: 'reed-2-8', range: { min: 3, max: 1 } }] }),
    'pool.range',
    'pools[0].range',
    'Turn them round',
  ],
  [
    'spot machines in a hall',
    () =>
      draft(birch, { pools: [{ name: 'general', size: 'rack-4', count: 1, lifetime: 'spot' }] }),
    'pool.spot',
    'pools[0].lifetime',
    'Use on-demand',
  ],
  [
    'pods over another cluster’s',
    () => draft(elm, { ranges: { pods: '10.124.0.0/18', services: '10.131.0.0/20' } }),
    'range.overlap',
    'ranges.pods',
    'Use 10.128.0.0/18',
  ],
  [
    'pods over the node network',
    () => draft(birch, { ranges: { pods: '10.20.0.0/16', services: '10.135.0.0/20' } }),
    'range.overlap',
    'ranges.pods',
    'Use 10.128.0.0/16',
  ],
  [
    'pods over their own services',
    () => draft(elm, { ranges: { pods: '10.130.0.0/18', services: '10.130.16.0/20' } }),
    'range.overlap',
    'ranges.services',
    'Use 10.128.0.0/20',
  ],
  [
    'a range with host bits',
    () => draft(elm, { ranges: { pods: '10.130.0.5/18', services: '10.131.0.0/20' } }),
    'range.readable',
    'ranges.pods',
    'Use 10.130.0.0/18',
  ],
  [
    'a range that is none',
    () => draft(elm, { ranges: { pods: 'many', services: '10.131.0.0/20' } }),
    'range.readable',
    'ranges.pods',
    'Use 10.128.0.0/18',
  ],
  [
    'too few node blocks',
    () => draft(fernlet, { ranges: { pods: '10.132.0.0/24', services: '10.133.0.0/20' } }),
    'range.size',
    'ranges.pods',
    'Use 10.128.0.0/23',
  ],
  [
    'a service range without room for DNS',
    () => draft(elm, { ranges: { pods: '10.130.0.0/18', services: '10.131.0.0/29' } }),
    'range.services-size',
    'ranges.services',
    'Use 10.128.0.0/20',
  ],
  [
    'static addresses in the DHCP range',
    () =>
      draft(birch, {
        networks: {
          staticAddresses: ['10.20.0.60', '10.20.0.61', '10.20.0.62', '10.20.0.63', '10.20.0.200'],
        },
      }),
    'addresses.static',
    'networks.staticAddresses',
    'Hold 10.20.0.2 and 4 more',
  ],
  [
    'a held static address',
    () =>
      draft(birch, {
        networks: {
          staticAddresses: ['10.20.0.20', '10.20.0.61', '10.20.0.62', '10.20.0.63', '10.20.0.64'],
        },
      }),
    'addresses.static',
    'networks.staticAddresses',
    'Hold 10.20.0.2 and 4 more',
  ],
  [
    'too few static addresses',
    () => draft(birch, { networks: { staticAddresses: ['10.20.0.60'] } }),
    'addresses.static',
    'networks.staticAddresses',
    'Hold 10.20.0.2 and 4 more',
  ],
  [
    'virtual addresses outside the pool',
    () => draft(birch, { networks: { virtualAddresses: '10.20.40.90-10.20.40.99' } }),
    'virtual.pool',
    'networks.virtualAddresses',
    'Leave it to the site’s pool',
  ],
  [
    'an unknown SSH key',
    () => draft(elm, { sshKey: 'lost' }),
    'ssh-key.known',
    'sshKey',
    'Use duty-2026',
  ],
  [
    'no disk chosen',
    () => box({ disk: undefined }),
    'disk.chosen',
    'machines[0].disk',
    'Use ata-FIR_480_A1',
  ],
  [
    'today’s name of a disk',
    () => box({ disk: '/dev/sda' }),
    'disk.stable',
    'machines[0].disk',
    'Use ata-FIR_480_A1',
  ],
  [
    'the removable stick',
    () => box({ disk: '/dev/disk/by-id/usb-STICK_32' }),
    'disk.removable',
    'machines[0].disk',
    'Use ata-FIR_480_A1',
  ],
  [
    'a disk with data',
    () => box({ disk: '/dev/disk/by-id/ata-FIR_960_B7' }),
    'disk.data',
    'machines[0].disk',
    'Use ata-FIR_480_A1',
  ],
  [
    'an unknown disk',
    () => box({ disk: '/dev/disk/by-id/ata-LOST' }),
    'disk.known',
    'machines[0].disk',
    'Use ata-FIR_480_A1',
  ],
  [
    'a wipe of another disk',
    () => box({ wipe: '/dev/disk/by-id/ata-FIR_960_B7' }),
    'disk.wipe',
    'machines[0].wipe',
    'Wipe nothing',
  ],
  [
    'no network card chosen',
    () => box({ card: undefined }),
    'card.chosen',
    'machines[0].card',
    'Use enp1s0',
  ],
  [
    'a card whose address others hold',
    () => box({ card: 'enp2s0' }),
    'card.shared',
    'machines[0].card',
    'Use enp1s0',
  ],
  [
    'an address in the DHCP range',
    () => box({ address: '10.77.12.20/26' }),
    'address.free',
    'machines[0].address',
    'Use 10.77.12.2/26',
  ],
  [
    'the gateway’s address',
    () => box({ address: '10.77.12.1/26' }),
    'address.free',
    'machines[0].address',
    'Use 10.77.12.2/26',
  ],
  [
    'an address of another network',
    () => box({ address: '10.20.0.9/26' }),
    'address.free',
    'machines[0].address',
    'Use 10.77.12.2/26',
  ],
  [
    'a wrong prefix length',
    () => box({ address: '10.77.12.8/24' }),
    'address.free',
    'machines[0].address',
    'Use 10.77.12.2/26',
  ],
  [
    'an unknown machine',
    () => box({ machine: 'gh13-box' }),
    'machine.known',
    'machines[0].machine',
    'Use gh12-box',
  ],
  ['no machine', () => draft(elm, { machines: [] }), 'machines.none', 'machines', 'Use gh12-box'],
  [
    'pools at the edge',
    () => draft(elm, { pools: [{ name: 'general', size: 'rack-4', count: 1 }] }),
    'pool.edge',
    'pools',
    'Leave the pools out',
  ],
  [
    'machines named in a cloud',
    () => draft(fernlet, { machines: elm.machines }),
    'machines.site',
    'machines',
    'Leave the machines out',
  ],
  [
    'a node name that is none',
    () => box({ nodeName: 'Node 1' }),
    'node.name',
    'machines[0].nodeName',
    'Call it elm-12-a',
  ],
]

describe('a draft with', () => {
  it.each(wrong)(
    '%s is stopped with the field, and its first remedy clears it',
    (_what, make, rule, field, remedy) => {
      const intent = make()
      const stop = stops(intent).find((finding) => finding.rule === rule)
      expect(
        stop,
        stops(intent)
          .map((finding) => finding.rule)
          .join(),
      ).toBeDefined()
      expect(stop?.field).toBe(field)
      expect(stop?.remedies[0]?.says ?? null).toBe(remedy)
      for (const { change, clears } of stop?.remedies ?? []) {
        const patched =
          'patchDraft' in change ? raiseIntent.parse(patchDraft(intent, change.patchDraft)) : intent
        expect(findingsOf(clusterRaise, patched, view).map((finding) => finding.key)).not.toContain(
          clears[0],
        )
      }
    },
  )

  it.each([
    ['no ranges', { pods: '', services: '' }],
    ['both ranges over another cluster’s', { pods: '10.120.0.0/18', services: '10.120.64.0/18' }],
  ])('%s is offered two that do not overlap', (_what, ranges) => {
    const intent = draft(fernlet, { ranges })
    const both = findingsOf(clusterRaise, intent, view)
      .filter(({ field }) => field?.startsWith('ranges.'))
      .flatMap(({ remedies }) => remedies.slice(0, 1))
      .flatMap(({ change }) => ('patchDraft' in change ? change.patchDraft : []))
    expect(both).toHaveLength(2)
    const patched = raiseIntent.parse(patchDraft(intent, both))
    expect(stops(patched)).toEqual([])
  })

  it('a disk to be wiped runs only once that is accepted', () => {
    const disk = '/dev/disk/by-id/ata-FIR_960_B7'
    const findings = findingsOf(clusterRaise, box({ disk, wipe: disk }), view)
    expect(findings.filter((finding) => finding.level === 'stop')).toEqual([])
    expect(findings.find((finding) => finding.rule === 'disk.wiped')?.level).toBe('caution')
  })
})
