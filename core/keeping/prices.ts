/** Prices entered into the book: `spend.prices`. */
import { command } from '../contract'
import { z } from 'zod'
import { type ChangeKind, longestPath, type RawFinding, ref } from '../changes'
import { type FleetView, siteOf } from '../fleet'
import { step } from '../provisioning/steps'
import { type Price, priceBook, siteSpend, withPrices } from '../spend'
import { countText, moneyText } from '../units'
import { said } from './says'

const intent = z.strictObject({
  prices: z
    .array(
      z.strictObject({
        site: z.string().max(253),
        item: z.string().max(120),
        units: z.number().min(0).max(1e9),
      }),
    )
    .min(1, 'Give at least one price.')
    .max(5000),
})
export type PricesIntent = z.infer<typeof intent>

const changed = (
  intent: PricesIntent,
  view: FleetView,
): readonly (Price & { readonly before: number })[] =>
  intent.prices.flatMap((price) => {
    const site = siteOf(view, price.site)
    const before = site
      ? priceBook(site).find((candidate) => candidate.item === price.item)?.units
      : undefined
    return before === undefined || before === price.units ? [] : [{ ...price, before }]
  })

const withBook = (intent: PricesIntent, view: FleetView): FleetView => ({
  ...view,
  sites: view.sites.map((site) =>
    withPrices(
      site,
      intent.prices.filter((price) => price.site === site.name),
    ),
  ),
})

const total = (view: FleetView, names: ReadonlySet<string>): number =>
  view.sites
    .filter((site) => names.has(site.name))
    .reduce((sum, site) => sum + siteSpend(site).perMonth, 0)

export const spendPrices: ChangeKind<PricesIntent> = {
  name: 'spend.prices',
  title: 'Enter prices',
  intent,
  needs: (intent) =>
    [...new Set(intent.prices.map((price) => price.site))].map((site) => `site:${site}` as const),
  subjects: (intent) => [...new Set(intent.prices.map((price) => ref('prices', price.site)))],
  guardedBy: () => null,
  label: (intent) => `enter ${countText(intent.prices.length, 'price')}`,
  check: (intent, view) => {
    const findings = intent.prices.flatMap((price, i): readonly RawFinding[] => {
      const site = siteOf(view, price.site)
      if (!site)
        return [
          {
            level: 'stop',
            rule: `site.known.${i}`,
            field: `prices[${i}].site`,
            ...said('there-no-site', { site: price.site }),
            because: [],
          },
        ]
      return priceBook(site).some((candidate) => candidate.item === price.item)
        ? []
        : [
            {
              level: 'stop',
              rule: `item.known.${i}`,
              field: `prices[${i}].item`,
              ...said('nothing-called-price', { site: price.site, item: price.item }),
              because: [
                {
                  ...said('items-priced', {
                    items: priceBook(site).map((eachPrice) => eachPrice.item),
                  }),
                  source: 'price book',
                },
              ],
            },
          ]
    })
    const different = changed(intent, view)
    if (findings.length > 0) return findings
    return [
      {
        level: 'note',
        rule: 'prices.changed',
        field: 'prices',
        ...(different.length === 0
          ? said('prices.changed.all-them-they')
          : said('prices.changed.different', {
              different: different.map(
                (price) =>
                  `${price.item} of ${price.site} from ${moneyText(price.before)} to ${moneyText(price.units)}`,
              ),
            })),
        because: [
          {
            ...said('differ', {
              differentCount: different.length,
              pricesCount: intent.prices.length,
            }),
            source: 'price book',
          },
        ],
      },
    ]
  },
  plan: (intent, view) => {
    const names = new Set(intent.prices.map((price) => price.site))
    const before = intent.prices.flatMap((price) => {
      const site = siteOf(view, price.site)
      return site ? priceBook(site).filter((candidate) => candidate.item === price.item) : []
    })
    const set = (prices: readonly Price[]) =>
      command('prices.set', {
        prices: prices.map(({ site, item, units }) => ({ site, item, units })),
      })
    const steps = [
      step({
        id: 'set',
        after: [],
        group: 'register',
        says: `${countText(intent.prices.length, 'price')} entered`,
        command: set(intent.prices),
        undo: set(before),
        seconds: { likely: 1, worst: 3 },
      }),
    ]
    return {
      steps,
      creates: [],
      alters: [...names].map((site) => ref('prices', site)),
      removes: [],
      ...longestPath(steps),
      spend: { before: total(view, names), after: total(withBook(intent, view), names) },
      reserves: [],
    }
  },
  prove: (intent, view) => {
    const left = changed(intent, view)
    return [
      {
        says: 'the price book has them',
        holds: left.length === 0,
        observed:
          left.length === 0 ? countText(intent.prices.length, 'price') : `${left.length} differ`,
      },
    ]
  },
}
