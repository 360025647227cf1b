/** Who calls whom: callers down, services across; allowed or not by shape, use by size, surprise by ink. */
import { listedObjects, trafficIn } from '~/core/fleet'
import { useSearchParams } from 'react-router'
import { countText, listText } from '~/core/units'
import { mayCall, readCallers, readyWorldOf, walk } from '~/core/wire'
import { accountOf, byText, callsADay, callsOf } from '~/core/wire/changes'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { To } from '../../parts/to'
import { ChooseCluster } from '../../parts/choose-cluster'
import { WireTabs } from './tabs'
import { aimed } from './wire-data'
import './wire.css'
import type { Route } from './+types/calls'
import { CallerMatrix } from './caller-matrix'
import { CallerRule } from './caller-rule'

export const meta: Route.MetaFunction = () => [{ title: 'Calls · Gyrarch' }]

/** So many callers and services are drawn; the rest are in the lists. */
const max = 30

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const { view, cluster } = await aimed(gyrarch, request)
  if (!cluster)
    return { cluster: null, clusters: view.clusters.map((eachCluster) => eachCluster.name) }
  const objects = listedObjects(view, cluster.name)
  const callers = readCallers(objects)
  const ready = readyWorldOf(view)
  const traffic = trafficIn(view, cluster.name)
  const calls = callsOf(view, cluster.name)
  const services = [
    ...new Set([
      ...traffic.filter((flow) => flow.to.includes('/')).map((flow) => flow.to),
      ...callers.rules.map((rule) => `${rule.namespace}/${rule.service}`),
    ]),
  ]
    .sort()
    .slice(0, max)
  const from = [...new Set(traffic.map((flow) => flow.from))].sort().slice(0, max)
  const cells = from.flatMap((caller) =>
    services.flatMap((service) => {
      const flow = traffic.find((route) => route.from === caller && route.to === service)
      const [namespace = '', name = ''] = service.split('/')
      const account = accountOf(objects, caller)
      const rule = account
        ? mayCall(
            callers,
            account,
            { namespace, name },
            { method: flow?.method ?? 'GET', path: flow?.path ?? '/' },
          )
        : null
      const call = calls.find((call) => call.flow.from === caller)
      const target = flow?.port ?? traffic.find((route) => route.to === service)?.port ?? 80
      const walkRead =
        call && ready.ok
          ? walk(ready.world, {
              from: call.query.from,
              to: { service, cluster: cluster.name },
              port: target,
              protocol: 'TCP',
            })
          : null
      const last = walkRead?.ok ? walkRead.walk.hops.at(-1) : undefined
      const reaches = walkRead?.ok ? walkRead.walk.delivered : null
      const allowed = reaches !== false && rule?.allowed !== false
      const perDay = flow ? callsADay(flow, view.now) : 0
      // A cell is drawn where something is said of the two: a call, a rule that lists it, or a way that is shut.
      if (!flow && (!account || (rule?.by !== 'closed' && !Array.isArray(rule?.by) && allowed)))
        return []
      let why: string
      if (reaches === false && last) why = `${last.hop.replace('-', ' ')}: ${byText(last.by)}`
      else if (rule) {
        if (typeof rule.by === 'string') {
          if (rule.by === 'open') why = `namespace ${namespace} is open`
          else why = `namespace ${namespace} is closed to callers not listed`
        } else why = `caller rule ${listText(rule.by, 2)}`
      } else why = 'an address outside'
      return [
        {
          caller,
          service,
          port: target,
          allowed,
          perSecond: flow?.spans.find((span) => span.until === null)?.perSecond ?? 0,
          perDay,
          why,
          account: account?.serviceAccount ?? null,
          asks: flow ? `${flow.method} ${flow.path}` : null,
          listed: rule && typeof rule.by !== 'string' ? rule.by : [],
          namespace: account?.namespace ?? '',
        },
      ]
    }),
  )
  return {
    cluster: cluster.name,
    clusters: [],
    from,
    services,
    cells,
    largest: Math.max(1, ...cells.map((cell) => cell.perSecond)),
    namespaces: [...new Set(services.map((service) => service.split('/')[0] ?? ''))].map(
      (name) => ({ name, closed: callers.closed.has(name) }),
    ),
    rules: callers.rules.map((rule) => ({
      key: rule.key,
      namespace: rule.namespace,
      name: rule.key.split('/')[1] ?? '',
      service: rule.service,
      callers: rule.callers.map((caller) =>
        caller.namespace === rule.namespace
          ? caller.serviceAccount
          : `${caller.namespace}/${caller.serviceAccount}`,
      ),
      requests: rule.requests.map(
        (eachRequest) =>
          `${eachRequest.methods.join(',') || 'any'} ${eachRequest.paths.join(', ') || '/'}`,
      ),
    })),
  }
}

export default function CallsPage({ loaderData }: Route.ComponentProps) {
  const [search, setSearch] = useSearchParams()
  const { cluster, cells } = loaderData
  if (cluster === null || !cells) {
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
  const { from, services, namespaces, rules, largest } = loaderData
  const chosen =
    cells.find((cell) => `${cell.caller} ${cell.service}` === search.get('cell')) ?? null
  const refused = cells.filter((cell) => !cell.allowed && cell.perDay > 0)
  return (
    <Page
      title={`Calls in ${cluster}`}
      beside={
        <span className="soft">
          {countText(cells.filter((cell) => cell.perDay > 0).length, 'pair')} called in the last day
        </span>
      }
      reason={
        chosen ? (
          <>
            <div className="soft">
              {chosen.allowed
                ? chosen.perDay === 0
                  ? 'allowed, not used'
                  : 'allowed'
                : chosen.perDay > 0
                  ? 'used, and refused'
                  : 'refused'}
            </div>
            <h2>
              {chosen.caller} to {chosen.service}
            </h2>
            <dl className="facts">
              <div>
                <dt>decided by</dt>
                <dd>{chosen.why}</dd>
              </div>
              <div>
                <dt>in the last day</dt>
                <dd>{countText(chosen.perDay, 'call')}</dd>
              </div>
              {chosen.asks === null ? null : (
                <div>
                  <dt>asks</dt>
                  <dd className="mono">{chosen.asks}</dd>
                </div>
              )}
              <div>
                <dt>runs as</dt>
                <dd className="mono">{chosen.account ?? 'nobody here'}</dd>
              </div>
            </dl>
            <p>
              <To
                path="/wire/walk"
                query={{ from: chosen.caller, to: chosen.service, port: String(chosen.port) }}
              >
                Walk it
              </To>
            </p>
            <CallerRule key={`${chosen.caller}${chosen.service}`} cluster={cluster} cell={chosen} />
          </>
        ) : (
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
            <h3>Callers that no rule lists</h3>
            <ul className="facts">
              {namespaces.map((namespace) => (
                <li key={namespace.name}>
                  <span>
                    <span className="mono">{namespace.name}</span> is{' '}
                    {namespace.closed ? 'closed' : 'open'} to them
                  </span>
                  <DraftChange
                    kind="wire.callers"
                    intent={{
                      cluster,
                      namespace: namespace.name,
                      unlisted: namespace.closed ? 'open' : 'closed',
                    }}
                    variant="text"
                  >
                    Draft {namespace.closed ? 'opening' : 'closing'} it
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
            setSearch((was) => (was.set('cell', `${cell.caller} ${cell.service}`), was))
          }
        />
      </div>
    </Page>
  )
}
