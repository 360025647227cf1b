/** What is wider than it was likely meant: ranges that are everything, rules that open all, translations that catch their own. */
import { contains, intersection, parseRange, type Range, sizeOf } from '../../addresses'
import { caution, type RawFinding } from '../../changes'
import type {
  ClusterView,
  FirewallRuleView,
  FleetView,
  SiteView,
  TranslationView,
} from '../../fleet'
import { nodesOf, trafficIn } from '../../fleet'
import { listText } from '../../units'
import { said } from './says'

const read = (text: string): Range | null => {
  const range = parseRange(text)
  return range.ok ? range.value : null
}

/** More than half of all addresses of its family. */
const isEverything = (range: Range): boolean =>
  sizeOf(range) >= 1n << (range.family === 4 ? 31n : 127n)

const isAll = (ranges: readonly string[] | undefined): boolean =>
  ranges === undefined ||
  ranges.some((text) => {
    const range = read(text)
    return range !== null && isEverything(range)
  })

/** A kept range that is everything: calls to outside would carry addresses that nobody there can answer. */
export function keptTooWide(
  add: readonly string[],
  cluster: ClusterView,
  view: FleetView,
): readonly RawFinding[] {
  return add.flatMap((text, i): readonly RawFinding[] => {
    const range = read(text)
    if (!range || !isEverything(range)) return []
    const touched = trafficIn(view, cluster.name)
      .filter((flow) => {
        const to = read(flow.to)
        return to !== null && contains(range, to)
      })
      .map((flow) => `${flow.from} to ${flow.to}:${flow.port}`)
    return [
      caution(
        `range.wide.${i}`,
        `add[${i}]`,
        said('kept-everything', { cluster: cluster.name, range: text, calls: touched }),
        [
          {
            ...said('calls-outside', { calls: touched.length }),
            source: `traffic of ${cluster.name}`,
            at: view.now,
          },
        ],
      ),
    ]
  })
}

const opensAll = (rule: FirewallRuleView): boolean =>
  rule.action === 'allow' &&
  rule.direction === 'in' &&
  rule.enabled !== false &&
  isAll(rule.from) &&
  isAll(rule.to) &&
  (rule.ports === undefined || rule.ports.some((ports) => /^[01]-65535$/.test(ports)))

/** Rules that let anybody in to anything, with what would be reached. */
export function opensEverything(
  rules: readonly FirewallRuleView[],
  site: SiteView,
  view: FleetView,
): readonly RawFinding[] {
  const nodes = view.clusters
    .filter((cluster) => cluster.site === site.name)
    .reduce((sum, cluster) => sum + nodesOf(cluster).length, 0)
  return rules.filter(opensAll).map((rule, i) =>
    caution(
      `rule.open.${i}`,
      'put',
      said('opens-everything', {
        rule: rule.name,
        site: site.name,
        networks: site.networks.map((network) => network.name),
        nodes,
      }),
      [
        {
          ...said('networks-there', { networks: site.networks.length }),
          source: site.name,
          at: site.observedAt,
        },
      ],
    ),
  )
}

const covers = (ranges: readonly string[] | undefined, inner: Range): boolean =>
  ranges === undefined ||
  ranges.some((text) => {
    const range = read(text)
    return range !== null && contains(range, inner)
  })

const meets = (ranges: readonly string[] | undefined, touched: Range): boolean =>
  ranges === undefined ||
  ranges.some((text) => {
    const range = read(text)
    return range !== null && intersection(range, touched) !== null
  })

/** Translations that would give another source to what a site’s own networks send to networks of its routing domain. */
export function catchesOwn(
  put: readonly TranslationView[],
  all: readonly TranslationView[],
  site: SiteView,
  view: FleetView,
): readonly RawFinding[] {
  const near = view.sites
    .filter((candidate) => candidate.domain === site.domain && candidate.name !== site.name)
    .flatMap((candidate) => candidate.networks)
    .filter((network) => network.role !== 'frontage')
  const own = site.networks.filter((network) => network.role !== 'frontage')
  return put.flatMap((rule, i): readonly RawFinding[] => {
    if (rule.kind !== 'translate') return []
    const at = all.findIndex((candidate) => candidate.name === rule.name)
    const earlier = all.filter(
      (candidate, place) =>
        candidate.priority < rule.priority || (candidate.priority === rule.priority && place < at),
    )
    const caught = own.filter((network) => {
      const from = read(network.range)
      if (!from || !meets(rule.from, from)) return false
      return near.some((goal) => {
        const to = read(goal.range)
        const isKept = earlier.some(
          (candidate) =>
            candidate.kind === 'keep' &&
            to !== null &&
            covers(candidate.from, from) &&
            covers(candidate.to, to),
        )
        return to !== null && meets(rule.to, to) && !isKept
      })
    })
    return caught.length === 0
      ? []
      : [
          caution(
            `rule.own.${i}`,
            `put[${i}].from`,
            said('catches-own', {
              rule: rule.name,
              networks: caught.map((network) => network.name),
              becomes: rule.becomes ?? '',
            }),
            [
              {
                ...said('networks-near', {
                  networks: listText(
                    near.map((goal) => goal.name),
                    4,
                  ),
                }),
                source: site.name,
                at: site.observedAt,
              },
            ],
          ),
        ]
  })
}
