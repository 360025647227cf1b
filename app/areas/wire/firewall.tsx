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

/** Whether what decides before a rule does the opposite of it. */
function oppositeText(opposite: boolean | 'partly' | undefined): string {
  if (opposite === true) return ', which does the opposite'
  return opposite === 'partly' ? ', partly the opposite' : ''
}

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
      let finding = ''
      if (rule.enabled !== false && unreachable)
        finding = `never decides: ${listText(unreachable.by, 3)}${oppositeText(unreachable.opposite)}`
      else if (rule.enabled !== false && redundant)
        finding = `only repeats ${listText(redundant.by, 3)}`
      return { ...rule, hits: hits.get(rule.name) ?? 0, finding }
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

type Data = Route.ComponentProps['loaderData']

function metTitle({ enabled, action }: Row): string {
  if (enabled !== false) return 'What it is for, of the last day'
  return action === 'deny'
    ? 'What it would have stopped yesterday'
    : 'What it would have let by yesterday'
}

/** One rule: what it does, what it met, and the changes of it. */
function RuleReason({
  site,
  rule,
  met,
}: {
  readonly site: string
  readonly rule: Row
  readonly met: Data['meets'][string]
}) {
  const isOff = rule.enabled === false
  return (
    <>
      <div className="soft">rule</div>
      <h2>{rule.name}</h2>
      <p>
        {rule.action === 'allow' ? 'Allows' : 'Denies'} what goes {rule.direction}
        {isOff ? '; it is off.' : '.'} {rule.finding === '' ? '' : `It ${rule.finding}.`}
      </p>
      <h3>{metTitle(rule)}</h3>
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
          intent={isOff ? { site, enable: [rule.name] } : { site, disable: [rule.name] }}
          variant="contained"
        >
          {isOff ? 'Draft switching it on' : 'Draft switching it off'}
        </DraftChange>
        <DraftChange kind="wire.firewall" intent={{ site, remove: [rule.name] }}>
          Draft removing it
        </DraftChange>
      </div>
    </>
  )
}

/** What is wrong among the rules. */
function Review({ rows, misread }: Pick<Data, 'rows' | 'misread'>) {
  const wrong = rows.filter((row) => row.finding !== '')
  return (
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
        Choose a rule to see what it met. <To path="/wire/walk">Walk a packet</To> to see which one
        decides.
      </p>
    </>
  )
}

function Reason({ data, chosen }: { readonly data: Data; readonly chosen: Row | null }) {
  const { site, meets } = data
  if (site === null) return null
  return chosen ? (
    <RuleReason site={site} rule={chosen} met={meets[chosen.name] ?? []} />
  ) : (
    <Review {...data} />
  )
}

export default function FirewallPage({ loaderData }: Route.ComponentProps) {
  const { site, sites, rows } = loaderData
  const [search, setSearch] = useSearchParams()
  const chosen = rows.find((row) => row.name === search.get('rule')) ?? null
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
              setSearch((before) => (before.set('site', name), before.delete('rule'), before))
            }
          />
          <span className="soft">
            what goes out is allowed unless a rule says no; what comes from other domains is not
          </span>
        </span>
      }
      reason={<Reason data={loaderData} chosen={chosen} />}
    >
      <WireTabs here="/wire/firewall" />
      <Table
        name={`firewall of ${site ?? 'no site'}`}
        columns={columns}
        rows={rows}
        id={(row) => row.name}
        selected={chosen?.name ?? null}
        onSelect={(row) => setSearch((before) => (before.set('rule', row.name), before))}
        empty="No rule yet: what goes out is allowed, and what comes from inside the domain. The first one is drafted below."
      />
      {site === null ? null : <RuleForm key={chosen?.name ?? 'new'} site={site} start={chosen} />}
    </Page>
  )
}
