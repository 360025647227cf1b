/** How many members a control plane has, and how they are spread. */

import { quorum, toleratedLosses } from '../../sizing'
import type { RawFinding } from '../../changes'
import { countText, listText } from '../../units'
import { said } from './says'
import { put } from './machines'
import { type Check, startCount } from '../planned'

export const setCount = (count: number) => ({
  says: `Use ${countText(count, 'control-plane machine')}`,
  change: { patchDraft: [{ op: 'replace', path: '/controlPlane/count', value: count } as const] },
})

export const checkControlPlane: Check = ({ intent, site, machines }) => {
  if (!site || intent.controlPlane.kind === 'managed') return []
  const { count, alsoWorkers } = intent.controlPlane
  const field = 'controlPlane.count'
  const maxMembers = site.kind === 'hall' ? 3 : 1
  const findings: RawFinding[] = []
  const members =
    site.kind === 'edge'
      ? intent.machines.filter((machine) => machine.roles.includes('control-plane')).length
      : count
  if (count < 1) {
    findings.push({
      level: 'stop',
      rule: 'control-plane.count',
      field,
      ...said('control-plane.count'),
      because: [],
      offers: [setCount(maxMembers)],
    })
  } else {
    const report = quorum(
      site.zones.map((zone) => {
        if (site.kind === 'edge') {
          if (zone === site.zones[0]) return count
          return 0
        }
        return machines.filter((m) => m.role === 'control-plane' && m.zone === zone).length
      }),
    )
    if (report?.finding) {
      findings.push({
        ...report.finding,
        rule: 'control-plane.count',
        field,
        because: [
          {
            ...said('members-tolerate-losses', { count, toleratedLosses: toleratedLosses(count) }),
            source: 'majority rule',
          },
        ],
        offers: [setCount(count + 1 <= 3 ? count + 1 : count - 1), setCount(count - 1)],
      })
    } else if (count === 1) {
      findings.push({
        level: 'note',
        rule: 'control-plane.single',
        field,
        ...said('control-plane.single'),
        because: [{ ...said('single-member'), source: 'majority rule' }],
      })
    } else if (report && site.zones.length > 1) {
      const fatal = site.zones.filter((_, i) => report.survivesZoneLoss[i] === false)
      if (fatal.length) {
        findings.push({
          level: 'caution',
          rule: 'control-plane.spread',
          field: 'controlPlane.zones',
          ...said('control-plane.spread', { fatal }),
          because: [
            {
              ...said('members-majority', { count, majority: Math.floor(count / 2) + 1 }),
              source: 'majority rule',
            },
          ],
          offers:
            site.zones.length >= 3
              ? [
                  {
                    says: `Spread over ${listText(site.zones)}`,
                    change: put('controlPlane.zones', site.zones),
                  },
                ]
              : [],
        })
      }
    }
    if ((site.kind === 'edge' || intent.machines.length > 0) && count !== members) {
      findings.push({
        level: 'stop',
        rule: 'control-plane.machines',
        field,
        ...said('control-plane.machines', { count, members }),
        because: [{ ...said('roles-machines-control', { members }), source: 'draft' }],
        offers: members > 0 ? [setCount(members)] : [],
      })
    }
  }
  const workers =
    intent.pools.reduce((sum, pool) => sum + startCount(pool), 0) +
    intent.machines.filter((machine) => machine.roles.includes('worker')).length
  if (!alsoWorkers && workers === 0) {
    findings.push({
      level: 'stop',
      rule: 'workers.none',
      field: 'controlPlane.alsoWorkers',
      ...said('workers.none.no-machine-run'),
      because: [{ ...said('no-pool-no'), source: 'draft' }],
      offers: [
        {
          says: 'Let control-plane machines run workloads',
          change: put('controlPlane.alsoWorkers', true),
        },
      ],
    })
  }
  return findings
}
