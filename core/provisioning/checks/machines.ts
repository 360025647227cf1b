/** Sizes, zones, stock, quota, host room, root disks, control-plane count. */
import { pointerOf } from '../../changes'
import type { RawFinding } from '../../changes'
import type { SiteView } from '../../fleet'
import { GiB, listText } from '../../units'
import type { Check, PlannedMachine } from '../planned'
import { controlPlanePool, startCount } from '../planned'
import { said } from './says'

export const put = (field: string, value: unknown) => ({
  patchDraft: [{ op: 'add', path: pointerOf(field), value } as const],
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
  const request = [
    {
      field: 'controlPlane.zones',
      zones: intent.controlPlane.kind === 'own' ? (intent.controlPlane.zones ?? []) : [],
    },
    ...intent.pools.map((pool, i) => ({ field: `pools[${i}].zones`, zones: pool.zones ?? [] })),
  ]
  return request.flatMap(({ field, zones }): RawFinding[] => {
    const unknown = zones.filter((zone) => !site.zones.includes(zone))
    if (unknown.length === 0) return []
    const existing = zones.filter((zone) => site.zones.includes(zone))
    return [
      {
        level: 'stop',
        rule: 'zone.known',
        field,
        ...said('zone.known', { site: site.name, unknown, zones: site.zones }),
        because: [
          { ...said('zones', { zones: site.zones }), source: site.name, at: site.observedAt },
        ],
        offers: [
          {
            says: `Use ${listText(existing.length ? existing : site.zones)}`,
            change: put(field, existing.length ? existing : site.zones),
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
        ...(first.size === ''
          ? said('size.offered.no-machine-size', { pool: first.pool })
          : said('size.offered.offers-no-size', { site: site.name, size: first.size })),
        because: [
          {
            ...said('sizes-offered', { sizes: site.sizes.map((size) => size.name) }),
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
      ...(without.length
        ? said('not-offered', { size: first.size, without })
        : said('no-left', { empty, size: first.size })),
      because: [
        {
          ...(without.length
            ? said('offered', { size: first.size, zones: offered.zones })
            : said('last-answer-none', { site: site.name })),
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
      ...said('root-disk.minimum', {
        pool: first.pool,
        rootDiskGb: first.rootDiskGb,
        baseImage: release.baseImage,
        version: release.version,
        minimumRootDiskGb: release.minimumRootDiskGb,
      }),
      because: [
        {
          ...said('image-minimum', {
            baseImage: release.baseImage,
            version: release.version,
            minimumRootDiskGb: release.minimumRootDiskGb,
          }),
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

export const checkPools: Check = ({ intent, site }) => {
  const findings: RawFinding[] = []
  intent.pools.forEach((pool, i) => {
    const field = `pools[${i}]`
    if (!/^[a-z0-9]([-a-z0-9]{0,38}[a-z0-9])?$/.test(pool.name) || pool.name === controlPlanePool) {
      findings.push({
        level: 'stop',
        rule: 'pool.name',
        field: `${field}.name`,
        ...(pool.name === ''
          ? said('pool.name.pool-no-name')
          : said('pool.name.no-valid-pool', { pool: pool.name })),
        because: [{ ...said('node-names-made'), source: 'RFC 1123' }],
      })
    } else if (intent.pools.findIndex((otherPool) => otherPool.name === pool.name) < i) {
      findings.push({
        level: 'stop',
        rule: 'pool.twice',
        field: `${field}.name`,
        ...said('pool.twice', { pool: pool.name }),
        because: [{ ...said('pool-names-unique'), source: 'draft' }],
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
        ...said('pool.range', { pool: pool.name, min: pool.range.min, max: pool.range.max }),
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
        ...said('pool.spot', { site: site.name }),
        because: [{ ...said('own-ground', { site: site.name }), source: site.name }],
        offers: [{ says: 'Use on-demand', change: put(`${field}.lifetime`, 'on-demand') }],
      })
    }
  })
  if (intent.pools.length > 0 && site?.kind === 'edge') {
    findings.push({
      level: 'stop',
      rule: 'pool.edge',
      field: 'pools',
      ...said('pool.edge', { site: site.name }),
      because: [
        {
          ...said('stand-there', { boxesCount: site.boxes.length }),
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
      .filter((size) => size.memoryBytes >= 8 * GiB)
      .sort((a, b) => a.cores - b.cores)[0]
    findings.push({
      level: 'stop',
      rule: 'workers.none',
      field: 'pools',
      ...said('workers.none.no-machine-run-workloads'),
      because: [{ ...said('managed-control-plane'), source: site.name }],
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
