/** Sizes, zones, stock, quota, host room, root disks, control-plane count. */
import type { RawFinding } from '../../changes'
import { quorum, toleratedLosses } from '../../sizing'
import type { SiteView } from '../../fleet'
import { countText, GiB, listText, numberText } from '../../units'
import type { Check, PlannedMachine } from '../planned'
import { controlPlanePool, startCount } from '../planned'

const pointer = (field: string): string =>
  `/${field.replace(/\[(\d+)\]/g, '/$1').replace(/\./g, '/')}`

export const put = (field: string, value: unknown) => ({
  patchDraft: [{ op: 'add', path: pointer(field), value } as const],
})

/** Machines of the draft by the pool or control plane that asks for them. */
const byField = (
  machines: readonly PlannedMachine[],
): ReadonlyMap<string, readonly PlannedMachine[]> => {
  const groups = new Map<string, PlannedMachine[]>()
  for (const machine of machines)
    groups.set(machine.field, [...(groups.get(machine.field) ?? []), machine])
  return groups
}

/** Sizes of a site by likeness: the same cores first, then the next larger ones. */
const alike = (
  site: SiteView,
  cores: number,
  zones: readonly string[],
  free: boolean,
): readonly string[] =>
  site.sizes
    .filter((size) =>
      zones.every((zone) => size.zones.includes(zone) && !(free && size.soldOut.includes(zone))),
    )
    .sort(
      (a, b) =>
        Math.abs(a.cores - cores) - Math.abs(b.cores - cores) || a.memoryBytes - b.memoryBytes,
    )
    .map((size) => size.name)

export const checkZones: Check = ({ intent, site }) => {
  if (!site || site.kind === 'edge') return []
  const asked = [
    {
      field: 'controlPlane.zones',
      zones: intent.controlPlane.kind === 'own' ? (intent.controlPlane.zones ?? []) : [],
    },
    ...intent.pools.map((pool, i) => ({ field: `pools[${i}].zones`, zones: pool.zones ?? [] })),
  ]
  return asked.flatMap(({ field, zones }): RawFinding[] => {
    const unknown = zones.filter((zone) => !site.zones.includes(zone))
    if (unknown.length === 0) return []
    const known = zones.filter((zone) => site.zones.includes(zone))
    return [
      {
        level: 'stop',
        rule: 'zone.known',
        field,
        says: `${site.name} has no zone ${listText(unknown)}. Its zones: ${listText(site.zones)}.`,
        because: [
          { says: `zones ${listText(site.zones)}`, source: site.name, at: site.observedAt },
        ],
        offers: [
          {
            says: `Use ${listText(known.length ? known : site.zones)}`,
            change: put(field, known.length ? known : site.zones),
          },
        ],
      },
    ]
  })
}

export const checkSizes: Check = ({ machines, site }) => {
  if (!site) return []
  const findings: RawFinding[] = []
  for (const [group, members] of byField(machines)) {
    const first = members[0]
    if (!first) continue
    const field = `${group}.size`
    const zones = [...new Set(members.map((machine) => machine.zone))].filter((zone) =>
      site.zones.includes(zone),
    )
    if (!first.offered) {
      findings.push({
        level: 'stop',
        rule: 'size.offered',
        field,
        says:
          first.size === ''
            ? `No machine size is chosen for ${first.pool}.`
            : `${site.name} offers no size ${first.size}.`,
        because: [
          {
            says: `sizes offered: ${listText(site.sizes.map((size) => size.name))}`,
            source: site.name,
            at: site.observedAt,
          },
        ],
        offers: alike(site, 4, zones, true)
          .slice(0, 2)
          .map((name) => ({ says: `Use ${name}`, change: put(field, name) })),
      })
      continue
    }
    const { offered } = first
    const without = zones.filter((zone) => !offered.zones.includes(zone))
    const empty = zones.filter((zone) => offered.soldOut.includes(zone))
    if (without.length === 0 && empty.length === 0) continue
    const bad = without.length ? without : empty
    const good = zones.filter((zone) => !bad.includes(zone))
    const others = site.zones.filter(
      (zone) => offered.zones.includes(zone) && !offered.soldOut.includes(zone),
    )
    const keep = good.length ? good : others
    findings.push({
      level: 'stop',
      rule: without.length ? 'size.zone' : 'size.stock',
      field,
      says: without.length
        ? `${first.size} is not offered in ${listText(without)}.`
        : `${listText(empty)} has no ${first.size} left.`,
      because: [
        {
          says: without.length
            ? `${first.size} is offered in ${listText(offered.zones)}`
            : `last answer of ${site.name}: none in stock`,
          source: site.name,
          at: site.observedAt,
        },
      ],
      offers: [
        ...(keep.length
          ? [
              {
                says: `Put ${first.pool} in ${listText(keep)}`,
                change: put(`${group}.zones`, keep),
              },
            ]
          : []),
        ...alike(site, offered.cores, zones, true)
          .filter((name) => name !== first.size)
          .slice(0, 2)
          .map((name) => ({ says: `Use ${name}`, change: put(field, name) })),
      ],
    })
  }
  return findings
}

export const checkRootDisks: Check = ({ machines, release, site }) => {
  if (!release || !site) return []
  const findings: RawFinding[] = []
  for (const [group, members] of byField(machines)) {
    const first = members[0]
    if (!first?.offered || first.rootDiskGb >= release.minimumRootDiskGb) continue
    findings.push({
      level: 'stop',
      rule: 'root-disk.minimum',
      field: `${group}.rootDiskGb`,
      says: `Root disk of ${first.pool === controlPlanePool ? 'the control plane' : `pool ${first.pool}`} is ${numberText(first.rootDiskGb)} GB. Image ${release.baseImage} ${release.version} needs ${release.minimumRootDiskGb} GB. Set it to ${release.minimumRootDiskGb} GB or more.`,
      because: [
        {
          says: `${release.baseImage} ${release.version}: at least ${release.minimumRootDiskGb} GB`,
          source: 'release catalogue',
        },
      ],
      offers:
        first.pool === controlPlanePool
          ? []
          : [
              {
                says: `Set it to ${release.minimumRootDiskGb} GB`,
                change: put(`${group}.rootDiskGb`, release.minimumRootDiskGb),
              },
            ],
    })
  }
  return findings
}

const setCount = (count: number) => ({
  says: `Use ${countText(count, 'control-plane machine')}`,
  change: { patchDraft: [{ op: 'replace', path: '/controlPlane/count', value: count } as const] },
})

export const checkControlPlane: Check = ({ intent, site, machines }) => {
  if (!site || intent.controlPlane.kind === 'managed') return []
  const { count, alsoWorkers } = intent.controlPlane
  const field = 'controlPlane.count'
  const most = site.kind === 'hall' ? 3 : 1
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
      says: 'A control plane needs at least one machine.',
      because: [],
      offers: [setCount(most)],
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
            says: `${count} members tolerate ${toleratedLosses(count)} losses`,
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
        says: 'One control-plane machine tolerates no loss.',
        because: [{ says: '1 member tolerates 0 losses', source: 'majority rule' }],
      })
    } else if (report && site.zones.length > 1) {
      const fatal = site.zones.filter((_, i) => report.survivesZoneLoss[i] === false)
      if (fatal.length) {
        findings.push({
          level: 'caution',
          rule: 'control-plane.spread',
          field: 'controlPlane.zones',
          says: `Losing ${listText(fatal)} alone would stop the control plane: most of its machines would be there.`,
          because: [
            {
              says: `${count} members, majority ${Math.floor(count / 2) + 1}`,
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
        says: `The draft asks for ${countText(count, 'control-plane machine')} and gives that role to ${members}.`,
        because: [{ says: `roles in machines: ${members} control-plane`, source: 'draft' }],
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
      says: 'No machine would run workloads: there is no worker, and control-plane machines are kept clear of them.',
      because: [{ says: 'no pool, and no machine with the role worker', source: 'draft' }],
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

export const checkPools: Check = ({ intent, site }) => {
  const findings: RawFinding[] = []
  intent.pools.forEach((pool, i) => {
    const field = `pools[${i}]`
    if (!/^[a-z0-9]([-a-z0-9]{0,38}[a-z0-9])?$/.test(pool.name) || pool.name === controlPlanePool) {
      findings.push({
        level: 'stop',
        rule: 'pool.name',
        field: `${field}.name`,
        says:
          pool.name === ''
            ? 'A pool has no name.'
            : `“${pool.name}” is no valid pool name. Use a–z, 0–9 and inner dashes, at most 40${pool.name === controlPlanePool ? '; control-plane is kept for the control plane' : ''}.`,
        because: [{ says: 'Node names are made from it.', source: 'RFC 1123' }],
      })
    } else if (intent.pools.findIndex((other) => other.name === pool.name) < i) {
      findings.push({
        level: 'stop',
        rule: 'pool.twice',
        field: `${field}.name`,
        says: `Two pools are called ${pool.name}.`,
        because: [{ says: 'pool names are unique in a cluster', source: 'draft' }],
        offers: [
          {
            says: `Call this one ${pool.name}-${i + 1}`,
            change: put(`${field}.name`, `${pool.name}-${i + 1}`),
          },
        ],
      })
    }
    if (pool.range && pool.range.min > pool.range.max) {
      findings.push({
        level: 'stop',
        rule: 'pool.range',
        field: `${field}.range`,
        says: `Pool ${pool.name} has a lower end of ${pool.range.min} and an upper end of ${pool.range.max}.`,
        because: [],
        offers: [
          {
            says: 'Turn them round',
            change: put(`${field}.range`, { min: pool.range.max, max: pool.range.min }),
          },
        ],
      })
    }
    if (pool.lifetime === 'spot' && site && site.kind !== 'cloud') {
      findings.push({
        level: 'stop',
        rule: 'pool.spot',
        field: `${field}.lifetime`,
        says: `${site.name} sells no spot machines.`,
        because: [{ says: `${site.name} is own ground`, source: site.name }],
        offers: [{ says: 'Use on-demand', change: put(`${field}.lifetime`, 'on-demand') }],
      })
    }
  })
  if (intent.pools.length > 0 && site?.kind === 'edge') {
    findings.push({
      level: 'stop',
      rule: 'pool.edge',
      field: 'pools',
      says: `${site.name} makes no machines. Use the ones that stand there.`,
      because: [
        {
          says: `${countText(site.boxes.length, 'machine')} stand there`,
          source: site.name,
          at: site.observedAt,
        },
      ],
      offers: [
        {
          says: 'Leave the pools out',
          change: { patchDraft: [{ op: 'replace', path: '/pools', value: [] }] },
        },
      ],
    })
  }
  const empty =
    intent.controlPlane.kind === 'managed' &&
    intent.pools.reduce((sum, pool) => sum + startCount(pool), 0) === 0
  if (empty && site?.kind === 'cloud') {
    const size = [...site.sizes]
      .filter((other) => other.memoryBytes >= 8 * GiB)
      .sort((a, b) => a.cores - b.cores)[0]
    findings.push({
      level: 'stop',
      rule: 'workers.none',
      field: 'pools',
      says: 'No machine would run workloads, not even the platform’s own pods. Add a pool with at least one node.',
      because: [{ says: 'a managed control plane runs no pods', source: site.name }],
      offers:
        size && intent.pools.length === 0
          ? [
              {
                says: `Add a pool of 2 ${size.name}`,
                change: {
                  patchDraft: [
                    {
                      op: 'replace',
                      path: '/pools',
                      value: [{ name: 'general', size: size.name, count: 2 }],
                    },
                  ],
                },
              },
            ]
          : [],
    })
  }
  return findings
}
