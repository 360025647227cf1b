/** How many members a control plane has, and how they are spread. */

import { quorum, toleratedLosses } from '../../sizing'
import { caution, note, type RawFinding, stop } from '../../changes'
import type { SiteView } from '../../fleet'
import { countText, listText } from '../../units'
import { said } from './says'
import { put } from './machines'
import { type Check, type Planned, startCount } from '../planned'
import type { RaiseIntent } from '../raise-intent'

export const setCount = (count: number) => ({
  says: `Use ${countText(count, 'control-plane machine')}`,
  change: { patchDraft: [{ op: 'replace', path: '/controlPlane/count', value: count } as const] },
})

type Members = Extract<RaiseIntent['controlPlane'], { readonly kind: 'own' }>

const countField = 'controlPlane.count'

/** How many members each zone of the site gets. */
function membersByZone({ machines }: Planned, site: SiteView, count: number): readonly number[] {
  return site.zones.map((zone, i) => {
    // Machines that stand are taken as one place.
    if (site.kind === 'edge') return i === 0 ? count : 0
    return machines.filter(({ role, zone: own }) => role === 'control-plane' && own === zone).length
  })
}

/** An even number of members tolerates no more losses than one less; a single one tolerates none; zones may hold the majority. */
function checkMajority(planned: Planned, site: SiteView, count: number): readonly RawFinding[] {
  const report = quorum(membersByZone(planned, site, count))
  if (report?.finding)
    return [
      {
        ...report.finding,
        rule: 'control-plane.count',
        field: countField,
        because: [
          {
            ...said('members-tolerate-losses', { count, toleratedLosses: toleratedLosses(count) }),
            source: 'majority rule',
          },
        ],
        offers: [setCount(count + 1 <= 3 ? count + 1 : count - 1), setCount(count - 1)],
      },
    ]
  if (count === 1)
    return [
      note('control-plane.single', countField, said('control-plane.single'), [
        { ...said('single-member'), source: 'majority rule' },
      ]),
    ]
  const fatal = site.zones.filter((_, i) => report?.survivesZoneLoss[i] === false)
  if (site.zones.length < 2 || fatal.length === 0) return []
  const majority = Math.floor(count / 2) + 1
  return [
    caution(
      'control-plane.spread',
      'controlPlane.zones',
      said('control-plane.spread', { fatal }),
      [{ ...said('members-majority', { count, majority }), source: 'majority rule' }],
      site.zones.length >= 3
        ? [
            {
              says: `Spread over ${listText(site.zones)}`,
              change: put('controlPlane.zones', site.zones),
            },
          ]
        : [],
    ),
  ]
}

/** As many members as there are machines with that role, where machines are named. */
function checkRoles({ intent }: Planned, site: SiteView, count: number): readonly RawFinding[] {
  const named = intent.machines.filter((machine) => machine.roles.includes('control-plane')).length
  const members = site.kind === 'edge' ? named : count
  if ((site.kind !== 'edge' && intent.machines.length === 0) || count === members) return []
  return [
    stop(
      'control-plane.machines',
      countField,
      said('control-plane.machines', { count, members }),
      [{ ...said('roles-machines-control', { members }), source: 'draft' }],
      members > 0 ? [setCount(members)] : [],
    ),
  ]
}

/** Something must run the workloads. */
function checkWorkers({ intent }: Planned, { alsoWorkers }: Members): readonly RawFinding[] {
  const workers =
    intent.pools.reduce((sum, pool) => sum + startCount(pool), 0) +
    intent.machines.filter((machine) => machine.roles.includes('worker')).length
  if (alsoWorkers || workers > 0) return []
  return [
    stop(
      'workers.none',
      'controlPlane.alsoWorkers',
      said('workers.none.no-machine-run'),
      [{ ...said('no-pool-no'), source: 'draft' }],
      [
        {
          says: 'Let control-plane machines run workloads',
          change: put('controlPlane.alsoWorkers', true),
        },
      ],
    ),
  ]
}

export const checkControlPlane: Check = (planned) => {
  const { intent, site } = planned
  const { controlPlane } = intent
  if (!site || controlPlane.kind === 'managed') return []
  const { count } = controlPlane
  const findings =
    count < 1
      ? [
          stop(
            'control-plane.count',
            countField,
            said('control-plane.count'),
            [],
            [setCount(site.kind === 'hall' ? 3 : 1)],
          ),
        ]
      : [...checkMajority(planned, site, count), ...checkRoles(planned, site, count)]
  return [...findings, ...checkWorkers(planned, controlPlane)]
}
