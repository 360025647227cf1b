/** Who calls whom: callers down, services across; allowed or not by shape, use by size, surprise by ink. */
import { listedObjects, trafficIn } from '~/core/fleet'
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { countText, listText, numberText } from '~/core/units'
import { mayCall, readCallers, readyWorldOf, walk } from '~/core/wire'
import { accountOf, byText, callsADay, callsOf } from '~/core/wire/changes'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { To } from '../../parts/to'
import { ChooseCluster } from './choose'
import { WireTabs } from './tabs'
import { aimed } from './wire-data'
import './wire.css'
import type { Route } from './+types/calls'

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
    most: Math.max(1, ...cells.map((cell) => cell.perSecond)),
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

type Cell = NonNullable<Route.ComponentProps['loaderData']['cells']>[number]

function Mark({ cell, most: largest }: { readonly cell: Cell; readonly most: number }) {
  const size = cell.perDay === 0 ? 5 : 4 + 9 * Math.sqrt(cell.perSecond / largest)
  return (
    <svg width={30} height={30} viewBox="-15 -15 30 30" aria-hidden>
      {cell.allowed ? (
        <circle r={size} className={cell.perDay === 0 ? 'idle' : 'ok'} />
      ) : (
        <path
          d={`M${-size} ${-size} L${size} ${size} M${-size} ${size} L${size} ${-size}`}
          className={cell.perDay > 0 ? 'used-denied' : 'no'}
        />
      )}
    </svg>
  )
}

function Rule({ cluster, cell }: { readonly cluster: string; readonly cell: Cell }) {
  // Begun with what it is seen to ask.
  const [methods, setMethods] = useState(cell.asks?.split(' ')[0] ?? '')
  const [paths, setPaths] = useState(cell.asks?.split(' ')[1] ?? '')
  const [namespace = '', service = ''] = cell.service.split('/')
  const list = (text: string): string[] => text.split(/[\s,]+/).filter((name) => name !== '')
  const requests =
    methods.trim() === '' && paths.trim() === ''
      ? undefined
      : [
          {
            ...(methods.trim() === '' ? {} : { methods: list(methods.toUpperCase()) }),
            ...(paths.trim() === '' ? {} : { paths: list(paths) }),
          },
        ]
  if (cell.account === null) return null
  return (
    <section aria-label="Draft a caller rule">
      <h3>
        {cell.listed.length > 0
          ? `Listed by ${listText(cell.listed, 2)}; list it for`
          : 'List this caller'}
      </h3>
      <div className="wire-form">
        <label>
          Methods{' '}
          <input
            value={methods}
            placeholder="all"
            onChange={(event) => setMethods(event.target.value)}
          />
        </label>
        <label>
          Paths{' '}
          <input value={paths} placeholder="/" onChange={(event) => setPaths(event.target.value)} />
        </label>
      </div>
      <DraftChange
        kind="wire.callers"
        intent={{
          cluster,
          namespace,
          rule: {
            name: `${service}-${cell.account}`.slice(0, 63),
            service,
            callers: [
              {
                serviceAccount: cell.account,
                ...(cell.namespace === namespace ? {} : { namespace: cell.namespace }),
              },
            ],
            ...(requests ? { requests } : {}),
          },
        }}
        variant="contained"
      >
        Draft the rule
      </DraftChange>
    </section>
  )
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
          says="Who calls whom? Point at a cluster:"
        />
      </Page>
    )
  }
  const { from, services, namespaces, rules, most: largest } = loaderData
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
                <dd>{numberText(chosen.perDay)} calls</dd>
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
            <Rule key={`${chosen.caller}${chosen.service}`} cluster={cluster} cell={chosen} />
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
        <table className="matrix" aria-label="Callers and what they call">
          <thead>
            <tr>
              <th scope="col">
                <span className="visually-hidden">caller</span>
              </th>
              {services.map((service) => (
                <th key={service} scope="col">
                  {service}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {from.map((caller) => (
              <tr key={caller} aria-selected={chosen?.caller === caller}>
                <th scope="row">{caller}</th>
                {services.map((service) => {
                  const cell = cells.find(
                    (cell) => cell.caller === caller && cell.service === service,
                  )
                  return (
                    <td key={service} data-open={cell !== undefined && cell === chosen}>
                      {cell ? (
                        <button
                          type="button"
                          aria-label={`${caller} to ${service}: ${cell.allowed ? 'allowed' : 'refused'}, ${numberText(cell.perDay)} calls in the last day`}
                          onClick={() =>
                            setSearch((was) => (was.set('cell', `${caller} ${service}`), was))
                          }
                        >
                          <Mark cell={cell} most={largest} />
                        </button>
                      ) : null}
                    </td>
                  )
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Page>
  )
}
