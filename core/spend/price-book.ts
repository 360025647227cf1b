/** Price books: what each thing of a site costs, as data that comes in and goes out as CSV. */
import Papa from 'papaparse'
import type { FleetView, SiteView } from '../fleet/view'
import { unguarded, writeCsv } from '../units'

export interface Price {
  readonly site: string
  /** `size/post-4-16`, `tier/assured`, `disk-gb-month`, `balancer-hour`, `kwh`, `host-month`, `spot-share`. */
  readonly item: string
  readonly units: number
}

const fields = {
  'disk-gb-month': 'diskGbMonth',
  'balancer-hour': 'balancerHour',
  kwh: 'kwh',
  'host-month': 'hostMonth',
  'spot-share': 'spotShare',
} as const

/** Everything at a site that has a price, in a stable order. Sizes that only cost power have none. */
export function priceBook(site: SiteView): readonly Price[] {
  return [
    ...site.sizes.flatMap((size) =>
      size.hourly === null
        ? []
        : [{ site: site.name, item: `size/${size.name}`, units: size.hourly }],
    ),
    ...site.managedTiers.map((tier) => ({
      site: site.name,
      item: `tier/${tier.tier}`,
      units: tier.hourly,
    })),
    ...Object.entries(fields).map(([item, field]) => ({
      site: site.name,
      item,
      units: site.prices[field],
    })),
  ]
}

/** A site with other prices; those of things it does not have change nothing. */
export function withPrices(
  site: SiteView,
  prices: readonly Pick<Price, 'item' | 'units'>[],
): SiteView {
  const of = new Map(prices.map((price) => [price.item, price.units]))
  if (of.size === 0) return site
  return {
    ...site,
    sizes: site.sizes.map((size) =>
      size.hourly === null ? size : { ...size, hourly: of.get(`size/${size.name}`) ?? size.hourly },
    ),
    managedTiers: site.managedTiers.map((tier) => ({
      ...tier,
      hourly: of.get(`tier/${tier.tier}`) ?? tier.hourly,
    })),
    prices: {
      ...site.prices,
      ...Object.fromEntries(
        Object.entries(fields).flatMap(([item, field]) =>
          of.has(item) ? [[field, of.get(item)]] : [],
        ),
      ),
    },
  }
}

export const writePrices = (prices: readonly Price[]): string =>
  writeCsv(
    ['site', 'item', 'units'],
    prices.map(({ site, item, units }) => [site, item, units]),
  )

/** Reads a price book: columns `site,item,units`. Bad lines are named by number; the good ones are given. */
export function readPrices(
  text: string,
  view: FleetView,
): {
  readonly good: readonly Price[]
  readonly bad: readonly { readonly line: number; readonly says: string }[]
} {
  const parsed = Papa.parse<string[]>(text.trim())
  const good: Price[] = []
  const bad: { line: number; says: string }[] = []
  const header = (parsed.data[0] ?? []).map((cell) => cell.trim().toLowerCase())
  const has = header.includes('site') && header.includes('item') && header.includes('units')
  if (!has)
    return {
      good: [],
      bad: [{ line: 1, says: 'The first line names the columns: site,item,units.' }],
    }
  const cell = (row: readonly string[], name: string): string =>
    unguarded((row[header.indexOf(name)] ?? '').trim())
  for (const [index, row] of parsed.data.slice(1, 5001).entries()) {
    const line = index + 2
    const [site, item, amount] = [cell(row, 'site'), cell(row, 'item'), cell(row, 'units')]
    const existingSite = view.sites.find((candidate) => candidate.name === site)
    const units = Number(amount)
    if (!existingSite) bad.push({ line, says: `There is no site “${site.slice(0, 60)}”.` })
    else if (!priceBook(existingSite).some((price) => price.item === item))
      bad.push({
        line,
        says: `${site} has nothing called “${item.slice(0, 60)}” that has a price.`,
      })
    else if (amount === '' || !Number.isFinite(units) || units < 0 || units > 1e9)
      bad.push({ line, says: `“${amount.slice(0, 40)}” is no price: a number from 0.` })
    else if (good.some((price) => price.site === site && price.item === item))
      bad.push({ line, says: `${item} of ${site} is priced twice.` })
    else good.push({ site, item, units })
  }
  return { good, bad }
}
