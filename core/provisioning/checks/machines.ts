/** Sizes, zones, stock, quota, host room, root disks, control-plane count. */
import { pointerOf, type RawFinding, stop } from '../../changes'
import type { SiteView } from '../../fleet'
import { GiB, listText } from '../../units'
import type { Check, Planned, PlannedMachine } from '../planned'
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

type PoolIntent = Planned['intent']['pools'][number]

function checkPoolName(
  pools: readonly PoolIntent[],
  { name }: PoolIntent,
  index: number,
): readonly RawFinding[] {
  const field = `pools[${index}].name`
  if (!/^[a-z0-9]([-a-z0-9]{0,38}[a-z0-9])?$/.test(name) || name === controlPlanePool)
    return [
      stop(
        'pool.name',
        field,
        name === ''
          ? said('pool.name.pool-no-name')
          : said('pool.name.no-valid-pool', { pool: name }),
        [{ ...said('node-names-made'), source: 'RFC 1123' }],
      ),
    ]
  if (pools.findIndex((candidate) => candidate.name === name) === index) return []
  const offered = `${name}-${index + 1}`
  return [
    stop(
      'pool.twice',
      field,
      said('pool.twice', { pool: name }),
      [{ ...said('pool-names-unique'), source: 'draft' }],
      [{ says: `Call this one ${offered}`, change: put(field, offered) }],
    ),
  ]
}

/** A range runs from few to many, and only a cloud sells machines that it may take back. */
function checkPoolShape(
  { name, range, lifetime }: PoolIntent,
  index: number,
  site: SiteView | undefined,
): readonly RawFinding[] {
  const field = `pools[${index}]`
  const findings: RawFinding[] = []
  if (range && range.min > range.max)
    findings.push(
      stop(
        'pool.range',
        `${field}.range`,
        said('pool.range', { pool: name, min: range.min, max: range.max }),
        [],
        [
          {
            says: 'Turn them round',
            change: put(`${field}.range`, { min: range.max, max: range.min }),
          },
        ],
      ),
    )
  if (lifetime === 'spot' && site && site.kind !== 'cloud')
    findings.push(
      stop(
        'pool.spot',
        `${field}.lifetime`,
        said('pool.spot', { site: site.name }),
        [{ ...said('own-ground', { site: site.name }), source: site.name }],
        [{ says: 'Use on-demand', change: put(`${field}.lifetime`, 'on-demand') }],
      ),
    )
  return findings
}

/** At the edge nobody makes machines: there are those that stand. */
const checkEdgePools = (
  pools: readonly PoolIntent[],
  site: SiteView | undefined,
): readonly RawFinding[] =>
  pools.length > 0 && site?.kind === 'edge'
    ? [
        stop(
          'pool.edge',
          'pools',
          said('pool.edge', { site: site.name }),
          [
            {
              ...said('stand-there', { boxesCount: site.boxes.length }),
              source: site.name,
              at: site.observedAt,
            },
          ],
          [
            {
              says: 'Leave the pools out',
              change: { patchDraft: [{ op: 'replace', path: '/pools', value: [] }] },
            },
          ],
        ),
      ]
    : []

/** Beside a managed control plane something must run the workloads. */
function checkEmpty(
  { controlPlane, pools }: Planned['intent'],
  site: SiteView | undefined,
): readonly RawFinding[] {
  const nodes = pools.reduce((sum, pool) => sum + startCount(pool), 0)
  if (controlPlane.kind !== 'managed' || nodes > 0 || site?.kind !== 'cloud') return []
  const size = site.sizes
    .filter((candidate) => candidate.memoryBytes >= 8 * GiB)
    .sort((a, b) => a.cores - b.cores)[0]
  const offers =
    size && pools.length === 0
      ? [
          {
            says: `Add a pool of 2 ${size.name}`,
            change: {
              patchDraft: [
                {
                  op: 'replace' as const,
                  path: '/pools',
                  value: [{ name: 'general', size: size.name, count: 2 }],
                },
              ],
            },
          },
        ]
      : []
  return [
    stop(
      'workers.none',
      'pools',
      said('workers.none.no-machine-run-workloads'),
      [{ ...said('managed-control-plane'), source: site.name }],
      offers,
    ),
  ]
}

export const checkPools: Check = ({ intent, site }) => [
  ...intent.pools.flatMap((pool, index) => [
    ...checkPoolName(intent.pools, pool, index),
    ...checkPoolShape(pool, index, site),
  ]),
  ...checkEdgePools(intent.pools, site),
  ...checkEmpty(intent, site),
]
