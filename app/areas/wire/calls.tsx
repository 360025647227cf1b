/** Who calls whom: callers down, services across; allowed or not by shape, use by size, surprise by ink. */
import { useSearchParams } from 'react-router'
import { countText, listText } from '~/core/units'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { To } from '../../parts/to'
import { ChooseCluster } from '../../parts/choose-cluster'
import { WireTabs } from './tabs'
import { aimed } from './wire-data'
import './wire.css'
import type { Route } from './+types/calls'
import { preparedWorld } from '~/server/wire/prepared-world'
import { callMatrix } from './calls-data'
import { CallerMatrix } from './caller-matrix'
import { CallerRule } from './caller-rule'

export const meta: Route.MetaFunction = () => [{ title: 'Calls · Gyrarch' }]

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const { view, cluster } = await aimed(gyrarch, request)
  if (!cluster) return { cluster: null, clusters: view.clusters.map((candidate) => candidate.name) }
  await preparedWorld(view)
  return { cluster: cluster.name, clusters: [], ...callMatrix(view, cluster) }
}

type Matrix = ReturnType<typeof callMatrix>
type Cell = Matrix['cells'][number]

function useText({ allowed, perDay }: Cell): string {
  if (allowed) return perDay === 0 ? 'allowed, not used' : 'allowed'
  return perDay > 0 ? 'used, and refused' : 'refused'
}

/** One caller and one service: what decides, and how often it is used. */
function CellReason({ cell }: { readonly cell: Cell }) {
  return (
    <>
      <div className="soft">{useText(cell)}</div>
      <h2>
        {cell.caller} to {cell.service}
      </h2>
      <dl className="facts">
        <div>
          <dt>decided by</dt>
          <dd>{cell.why}</dd>
        </div>
        <div>
          <dt>in the last day</dt>
          <dd>{countText(cell.perDay, 'call')}</dd>
        </div>
        {cell.asks === null ? null : (
          <div>
            <dt>asks</dt>
            <dd className="mono">{cell.asks}</dd>
          </div>
        )}
        <div>
          <dt>runs as</dt>
          <dd className="mono">{cell.account ?? 'nobody here'}</dd>
        </div>
      </dl>
      <p>
        <To
          path="/wire/walk"
          query={{ from: cell.caller, to: cell.service, port: String(cell.port) }}
        >
          Walk it
        </To>
      </p>
    </>
  )
}

function Refusals({ cells }: Pick<Matrix, 'cells'>) {
  const refused = cells.filter((cell) => !cell.allowed && cell.perDay > 0)
  return (
    <>
      <h2>
        {refused.length === 0
          ? 'No call is refused'
          : countText(refused.length, 'call is refused', 'calls are refused')}
      </h2>
      <ul className="facts">
        {refused.map((cell) => (
          <li key={cell.caller + cell.service}>
            <span className="mono">
              {cell.caller} to {cell.service}
            </span>
            <span className="source">{cell.why}</span>
          </li>
        ))}
      </ul>
    </>
  )
}

/** What namespaces do with callers that no rule lists, and the rules there are. */
function Rules({
  cluster,
  namespaces,
  rules,
}: Pick<Matrix, 'namespaces' | 'rules'> & { readonly cluster: string }) {
  return (
    <>
      <h3>Callers that no rule lists</h3>
      <ul className="facts">
        {namespaces.map(({ name, closed }) => (
          <li key={name}>
            <span>
              <span className="mono">{name}</span> is {closed ? 'closed' : 'open'} to them
            </span>
            <DraftChange
              kind="wire.callers"
              intent={{ cluster, namespace: name, unlisted: closed ? 'open' : 'closed' }}
              variant="text"
            >
              Draft {closed ? 'opening' : 'closing'} it
            </DraftChange>
          </li>
        ))}
      </ul>
      <h3>Caller rules</h3>
      <ul className="facts">
        {rules.map((rule) => (
          <li key={rule.key}>
            <span>
              <span className="mono">{rule.key}</span>: {listText(rule.callers, 3)} to{' '}
              {rule.service}
              {rule.requests.length > 0 ? `, ${listText(rule.requests, 2)}` : ''}
            </span>
            <DraftChange
              kind="wire.callers"
              intent={{ cluster, namespace: rule.namespace, remove: rule.name }}
              variant="text"
            >
              Draft removing it
            </DraftChange>
          </li>
        ))}
        {rules.length === 0 ? (
          <li className="soft">None yet. Choose a cell to list a caller.</li>
        ) : null}
      </ul>
    </>
  )
}

export default function CallsPage({ loaderData }: Route.ComponentProps) {
  const [search, setSearch] = useSearchParams()
  if (loaderData.cluster === null) {
    return (
      <Page title="Calls" reason={<p className="soft">Calls are seen inside a cluster.</p>}>
        <WireTabs here="/wire/calls" />
        <ChooseCluster
          clusters={loaderData.clusters}
          path="/wire/calls"
          title="Who calls whom"
          says="A matrix of callers and callees: what is allowed, what is used, and what is refused although it is used. Point at a cluster."
        />
      </Page>
    )
  }
  const { cluster, cells, from, services, namespaces, rules, largest } = loaderData
  const chosen =
    cells.find((cell) => `${cell.caller} ${cell.service}` === search.get('cell')) ?? null
  const called = cells.filter((cell) => cell.perDay > 0).length
  return (
    <Page
      title={`Calls in ${cluster}`}
      beside={<span className="soft">{countText(called, 'pair')} called in the last day</span>}
      reason={
        chosen ? (
          <CellReason cell={chosen} />
        ) : (
          <>
            <Refusals cells={cells} />
            <Rules cluster={cluster} namespaces={namespaces} rules={rules} />
          </>
        )
      }
    >
      <WireTabs here="/wire/calls" />
      <div className="wire-page" tabIndex={0} role="region" aria-label="Call matrix">
        <p className="soft">
          Disc: allowed, larger for more calls; dotted: allowed and not used. Cross: refused; in red
          where it is used all the same.
        </p>
        {cells.length === 0 ? <p>Nobody was seen calling anybody in the last day.</p> : null}
        <CallerMatrix
          from={from}
          services={services}
          cells={cells}
          largest={largest}
          chosen={chosen}
          onChoose={(cell) =>
            setSearch((before) => (before.set('cell', `${cell.caller} ${cell.service}`), before))
          }
        />
      </div>
      {chosen ? (
        <CallerRule
          key={`${chosen.caller}${chosen.service}`}
          cluster={cluster}
          cell={chosen}
          cells={cells}
        />
      ) : null}
    </Page>
  )
}
