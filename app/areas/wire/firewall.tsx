/** A site’s firewall: rules in the order in which they decide, what each has met, what is wrong among them, and changes of them. */
import { useSearchParams } from 'react-router'
import { knownTraffic } from '~/core/fleet'
import { countText, listText, numberText } from '~/core/units'
import { reviewFirewall } from '~/core/wire'
import { ruleHits, wouldMeet } from '~/core/wire/changes'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { To } from '../../parts/to'
import { WireTabs } from './tabs'
import { aimed } from './wire-data'
import './wire.css'
import { fleetAsked } from '../moment'
import type { Route } from './+types/firewall'
import { Choice } from '../../kit/choice'
import { RuleForm } from './rule-form'
import { Notice } from '../../kit/notice'

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `Firewall of ${loaderData?.site ?? 'no site'} · Gyrarch` },
]

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const { view: near, site: own } = await aimed(gyrarch, request)
  const search = new URL(request.url).searchParams
  const name =
    search.get('site') ??
    own?.name ??
    near.sites.find((site) => (site.firewall ?? []).length > 0)?.name ??
    near.sites[0]?.name ??
    ''
  const view = await fleet.viewFor([], [`site/${name}`])
  const site = view.sites.find((site) => site.name === name)
  const traffic = knownTraffic(view)
  const rules = site?.firewall ?? []
  const review = reviewFirewall(rules as never)
  const hits = site ? ruleHits(site, traffic, view.now) : new Map<string, number>()
  const order = [...rules]
    .map((rule, index) => ({ rule, index }))
    .sort(
      (a, b) =>
        Number(b.rule.direction === 'in') - Number(a.rule.direction === 'in') ||
        a.rule.priority - b.rule.priority ||
        a.index - b.index,
    )
  const reviewed = review.ok ? review.review : null
  return {
    site: site?.name ?? null,
    sites: view.sites.map((eachSite) => eachSite.name),
    rows: order.map(({ rule }) => {
      const unreachable = reviewed?.unreachable.find((entry) => entry.rule === rule.name)
      const redundant = reviewed?.redundant.find((entry) => entry.rule === rule.name)
      let finding: string
      if (rule.enabled === false) finding = ''
      else if (unreachable)
        finding = `never decides: ${listText(unreachable.by, 3)}${unreachable.opposite === true ? ', which does the opposite' : unreachable.opposite === 'partly' ? ', partly the opposite' : ''}`
      else if (redundant) finding = `only repeats ${listText(redundant.by, 3)}`
      else finding = ''
      return {
        ...rule,
        hits: hits.get(rule.name) ?? 0,
        finding,
      }
    }),
    meets: Object.fromEntries(
      rules.map((rule) => [rule.name, wouldMeet(rule, traffic, view.now).slice(0, 8)]),
    ),
    misread: review.ok ? null : review.says,
  }
}

type Row = Route.ComponentProps['loaderData']['rows'][number]

const list = (values: readonly string[] | undefined): string =>
  values === undefined ? 'all' : listText(values, 2)

const columns: readonly Column<Row>[] = [
  {
    name: 'rule',
    value: (row) => row.name,
    show: (row) => (
      <span
        className="mono"
        style={row.enabled === false ? { textDecoration: 'line-through' } : undefined}
      >
        {row.name}
      </span>
    ),
  },
  { name: 'way', value: (row) => row.direction },
  { name: 'priority', value: (row) => row.priority, number: true },
  { name: 'does', value: (row) => (row.enabled === false ? 'off' : row.action) },
  {
    name: 'from',
    value: (row) => list(row.from),
    show: (row) => <span className="mono">{list(row.from)}</span>,
  },
  {
    name: 'to',
    value: (row) => list(row.to),
    show: (row) => <span className="mono">{list(row.to)}</span>,
  },
  { name: 'ports', value: (row) => `${row.protocol} ${list(row.ports)}` },
  {
    name: 'met in a day',
    value: (row) => row.hits,
    show: (row) => numberText(row.hits),
    number: true,
  },
  {
    name: 'review',
    value: (row) => row.finding,
    wraps: true,
    show: (row) =>
      row.finding === '' ? (
        ''
      ) : (
        <>
          <StateGlyph state="strained" /> {row.finding}
        </>
      ),
  },
]

export default function FirewallPage({ loaderData }: Route.ComponentProps) {
  const { site, sites, rows, meets, misread } = loaderData
  const [search, setSearch] = useSearchParams()
  const chosen = rows.find((row) => row.name === search.get('rule')) ?? null
  const met = chosen ? (meets[chosen.name] ?? []) : []
  const wrong = rows.filter((row) => row.finding !== '')
  return (
    <Page
      title={site === null ? 'Firewall' : `Firewall of ${site}`}
      beside={
        <span className="acts">
          <Choice
            label="Site"
            hideLabel
            value={site ?? ''}
            options={sites}
            onChange={(name) =>
              setSearch((was) => {
                was.set('site', name)
                was.delete('rule')
                return was
              })
            }
          />
          <span className="soft">
            what goes out is allowed unless a rule says no; what comes from other domains is not
          </span>
        </span>
      }
      reason={
        site === null ? null : chosen ? (
          <>
            <div className="soft">rule</div>
            <h2>{chosen.name}</h2>
            <p>
              {chosen.action === 'allow' ? 'Allows' : 'Denies'} what goes {chosen.direction}
              {chosen.enabled === false ? '; it is off.' : '.'}{' '}
              {chosen.finding === '' ? '' : `It ${chosen.finding}.`}
            </p>
            <h3>
              {chosen.enabled === false
                ? chosen.action === 'deny'
                  ? 'What it would have stopped yesterday'
                  : 'What it would have let by yesterday'
                : 'What it is for, of the last day'}
            </h3>
            <ul className="facts">
              {met.map((entry) => (
                <li key={`${entry.from}${entry.to}`}>
                  <span className="mono">
                    {entry.from} to {entry.to}:{entry.port}
                  </span>
                  <span className="source">{countText(entry.calls, 'call')}</span>
                </li>
              ))}
              {met.length === 0 ? <li className="soft">No call of the last day.</li> : null}
            </ul>
            <div className="acts" style={{ margin: '10px 0 14px' }}>
              <DraftChange
                kind="wire.firewall"
                intent={
                  chosen.enabled === false
                    ? { site, enable: [chosen.name] }
                    : { site, disable: [chosen.name] }
                }
                variant="contained"
              >
                {chosen.enabled === false ? 'Draft switching it on' : 'Draft switching it off'}
              </DraftChange>
              <DraftChange kind="wire.firewall" intent={{ site, remove: [chosen.name] }}>
                Draft removing it
              </DraftChange>
            </div>
          </>
        ) : (
          <>
            <h2>
              {wrong.length === 0
                ? 'No rule stands in another’s way'
                : countText(wrong.length, 'rule wants a look', 'rules want a look')}
            </h2>
            {misread === null ? null : <Notice>{misread}</Notice>}
            <ul className="facts">
              {wrong.map((row) => (
                <li key={row.name}>
                  <span className="mono">{row.name}</span>
                  <span className="source">{row.finding}</span>
                </li>
              ))}
            </ul>
            <p className="soft">
              Choose a rule to see what it met. <To path="/wire/walk">Walk a packet</To> to see
              which one decides.
            </p>
          </>
        )
      }
    >
      <WireTabs here="/wire/firewall" />
      <Table
        name={`firewall of ${site ?? 'no site'}`}
        columns={columns}
        rows={rows}
        id={(row) => row.name}
        selected={chosen?.name ?? null}
        onSelect={(row) =>
          setSearch((was) => {
            was.set('rule', row.name)
            return was
          })
        }
        empty="No rule yet: what goes out is allowed, and what comes from inside the domain. The first one is drafted below."
      />
      {site === null ? null : <RuleForm key={chosen?.name ?? 'new'} site={site} start={chosen} />}
    </Page>
  )
}
