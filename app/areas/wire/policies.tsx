/** Network policies: which pods each isolates, who is let in and out, and a new one out of the calls that were seen. */
import { listedObjects, trafficIn } from '~/core/fleet'
import { useState } from 'react'
import { ofKind, writeYaml } from '~/core/objects'
import { useSearchParams } from 'react-router'
import type { PolicyObject } from '~/core/objects'
import { readObjects } from '~/core/objects'
import { countText, listText, numberText } from '~/core/units'
import { readPolicyWorld } from '~/core/wire'
import { callsADay, letInBy, policyFromCalls } from '~/core/wire/changes'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { To } from '../../parts/to'
import { ChooseCluster } from '../../parts/choose-cluster'
import { PolicySketch } from './policy-sketch'
import { WireTabs } from './tabs'
import { aimed } from './wire-data'
import './wire.css'
import type { Route } from './+types/policies'
import Button from '@mui/material/Button'
import { Choice } from '../../kit/choice'
import { Field } from '../../kit/field'
import { Tick } from '../../kit/tick'

export const meta: Route.MetaFunction = () => [{ title: 'Policies · Gyrarch' }]

type Rules = NonNullable<NonNullable<PolicyObject['spec']>['ingress']>

const selectorText = (
  selector:
    | {
        readonly matchLabels?: Readonly<Record<string, string>> | null | undefined
        readonly matchExpressions?:
          | readonly {
              readonly key: string
              readonly operator: string
              readonly values?: readonly string[] | null | undefined
            }[]
          | null
          | undefined
      }
    | null
    | undefined,
): string => {
  const parts = [
    ...Object.entries(selector?.matchLabels ?? {}).map(([key, value]) => `${key}=${value}`),
    ...(selector?.matchExpressions ?? []).map((matchExpression) =>
      `${matchExpression.key} ${matchExpression.operator} ${(matchExpression.values ?? []).join('|')}`.trim(),
    ),
  ]
  return parts.join(', ') || 'every pod'
}

function peersText(peers: Rules[number]['from'] = []): readonly string[] {
  if (!peers || peers.length === 0) return ['anybody']
  return peers.map((peer) =>
    peer.ipBlock
      ? `${peer.ipBlock.cidr}${(peer.ipBlock.except ?? []).length > 0 ? ` but ${listText(peer.ipBlock.except ?? [], 2)}` : ''}`
      : `${peer.podSelector ? selectorText(peer.podSelector) : 'every pod'}${peer.namespaceSelector ? ` in ${selectorText(peer.namespaceSelector).replace('kubernetes.io/metadata.name=', '').replace('every pod', 'every namespace')}` : ''}`,
  )
}

const portsText = (rule: Pick<Rules[number], 'ports'>): string =>
  (rule.ports ?? [])
    .map(
      (port) =>
        `${port.port ?? 'all'}${port.endPort ? `-${port.endPort}` : ''}${port.protocol && port.protocol !== 'TCP' ? `/${port.protocol}` : ''}`,
    )
    .join(', ') || 'all ports'

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const { view, cluster } = await aimed(gyrarch, request)
  if (!cluster)
    return { cluster: null, clusters: view.clusters.map((eachCluster) => eachCluster.name) }
  const objects = listedObjects(view, cluster.name)
  const world = readPolicyWorld(
    readObjects(
      objects.filter((object) => ['Namespace', 'Pod', 'NetworkPolicy'].includes(object.kind)),
    ).located,
    'objects',
    [],
  )
  const pods = [...world.pods.values()]
  const given = ofKind(objects, 'NetworkPolicy')
  const search = new URL(request.url).searchParams
  const workload = search.get('workload')
  const into = trafficIn(view, cluster.name).filter((flow) => flow.to.includes('/'))
  const callees = [...new Set(into.map((flow) => flow.to))].sort()
  const flows = workload === null ? [] : into.filter((flow) => flow.to === workload)
  const ticked = new Set(search.getAll('tick'))
  const all = search.get('ticked') === null
  const chosen = flows.filter((flow) => all || ticked.has(flow.from))
  return {
    cluster: cluster.name,
    clusters: [],
    answers: cluster.apiAnswers,
    rows: world.policies.map((policy) => {
      const object = given.find(
        (candidate) =>
          `${candidate.metadata.namespace ?? 'default'}/${candidate.metadata.name}` === policy.key,
      )
      const selected = pods.filter((pod) => policy.selects(pod))
      return {
        key: policy.key,
        namespace: policy.namespace,
        name: policy.key.split('/')[1] ?? '',
        text: writeYaml(object?.spec ?? {}),
        selects: selectorText(object?.spec?.podSelector),
        pods: selected.map((pod) => pod.name),
        ingress:
          policy.ingress === null
            ? null
            : (object?.spec?.ingress ?? []).flatMap((rule) =>
                peersText(rule.from).map((peer) => `${peer} · ${portsText(rule)}`),
              ),
        egress:
          policy.egress === null
            ? null
            : (object?.spec?.egress ?? []).flatMap((rule) =>
                peersText(rule.to).map((peer) => `${peer} · ${portsText(rule)}`),
              ),
      }
    }),
    open: pods.filter((pod) => !world.policies.some((policy) => policy.selects(pod))).length,
    total: pods.length,
    callees,
    workload,
    flows: flows.map((flow) => ({
      from: flow.from,
      port: flow.port,
      calls: callsADay(flow, view.now),
      ticked: all || ticked.has(flow.from),
      /** Policies there are that let it in whether it is ticked or not. */
      letInBy: letInBy(world, objects, flow),
    })),
    draft: workload === null ? null : policyFromCalls(objects, workload, chosen),
  }
}

type Row = NonNullable<Route.ComponentProps['loaderData']['rows']>[number]

const columns: readonly Column<Row>[] = [
  {
    name: 'policy',
    value: (row) => row.key,
    show: (row) => <span className="mono">{row.key}</span>,
  },
  {
    name: 'isolates',
    value: (row) => row.pods.length,
    show: (row) =>
      row.pods.length === 0 ? 'no pod now' : `${countText(row.pods.length, 'pod')}: ${row.selects}`,
    wraps: true,
  },
  {
    name: 'lets in',
    value: (row) => (row.ingress === null ? 'not isolated' : row.ingress.join('; ') || 'nobody'),
    wraps: true,
  },
  {
    name: 'lets out',
    value: (row) => (row.egress === null ? 'not isolated' : row.egress.join('; ') || 'nowhere'),
    wraps: true,
  },
]

type Flows = NonNullable<Route.ComponentProps['loaderData']['flows']>

/** What becomes of the callers that are not ticked: policies add to each other, so that another one may let them in. */
function Left({ flows }: { readonly flows: Flows }) {
  const cut = flows.filter((flow) => flow.letInBy.length === 0)
  return (
    <>
      {cut.length > 0 ? (
        <p>
          <StateGlyph state="strained" /> Cuts off {listText(cut.map((flow) => flow.from))}.
        </p>
      ) : null}
      {flows
        .filter((flow) => flow.letInBy.length > 0)
        .map((flow) => (
          <p key={flow.from} className="soft">
            {flow.from} is still let in by {listText(flow.letInBy)}.
          </p>
        ))}
    </>
  )
}

function FromCalls({ data }: { readonly data: Route.ComponentProps['loaderData'] }) {
  const [, setSearch] = useSearchParams()
  const [name, setName] = useState('')
  const { callees = [], workload, flows = [], draft, cluster } = data
  const [namespace = '', service = ''] = (workload ?? '').split('/')
  return (
    <section aria-label="A policy out of calls" className="below-table">
      <h2>A policy out of calls</h2>
      <p className="soft">Tick who may go on calling; everybody else is kept out.</p>
      <div className="wire-form">
        <Choice
          label="Called"
          value={workload ?? ''}
          empty="a service…"
          options={callees}
          width={230}
          onChange={(callee) =>
            setSearch((was) => {
              was.set('workload', callee)
              was.delete('tick')
              was.delete('ticked')
              return was
            })
          }
        />
        {flows.map((flow) => (
          <Tick
            key={flow.from}
            checked={flow.ticked}
            label={
              <>
                <span className="mono">{flow.from}</span>{' '}
                <span className="soft">{numberText(flow.calls)} a day</span>
              </>
            }
            onChange={() =>
              setSearch((was) => {
                was.delete('tick')
                was.set('ticked', '1')
                for (const entry of flows)
                  if ((entry.from === flow.from) !== entry.ticked) was.append('tick', entry.from)
                return was
              })
            }
          />
        ))}
        {workload ? (
          <Field
            label="Name"
            mono
            value={name}
            placeholder={`${service}-callers`}
            onChange={setName}
          />
        ) : null}
      </div>
      {workload && draft && cluster !== null ? (
        <>
          <Left flows={flows.filter((flow) => !flow.ticked)} />
          <DraftChange
            kind="wire.policy"
            intent={{ cluster, namespace, name: name.trim() || `${service}-callers`, spec: draft }}
            variant="contained"
          >
            Draft the policy
          </DraftChange>
        </>
      ) : null}
    </section>
  )
}

export default function PoliciesPage({ loaderData }: Route.ComponentProps) {
  const [search, setSearch] = useSearchParams()
  const { cluster, rows } = loaderData
  if (cluster === null || !rows) {
    return (
      <Page title="Policies" reason={<p className="soft">Policies belong to a cluster.</p>}>
        <WireTabs here="/wire/policies" />
        <ChooseCluster
          clusters={loaderData.clusters}
          path="/wire/policies"
          title="Who may reach whom"
          says="Policies belong to a cluster. Point at one to see what isolates its pods, and to make a policy out of the calls that were seen."
        />
      </Page>
    )
  }
  const chosen = rows.find((row) => row.key === search.get('policy')) ?? null
  return (
    <Page
      title={`Policies of ${cluster}`}
      beside={
        <span className="soft">
          {loaderData.open} of {countText(loaderData.total, 'pod')} not isolated by any
        </span>
      }
      reason={
        chosen ? (
          <>
            <div className="soft">policy</div>
            <h2>{chosen.key}</h2>
            <p>
              Isolates {chosen.pods.length === 0 ? 'no pod as it is now' : listText(chosen.pods, 6)}
              .
            </p>
            <pre className="wire-spec" tabIndex={0} aria-label="Its manifest">
              {chosen.text}
            </pre>
            <div className="acts" style={{ margin: '10px 0' }}>
              <DraftChange
                kind="wire.policy"
                intent={{ cluster, namespace: chosen.namespace, name: chosen.name, remove: true }}
              >
                Draft removing it
              </DraftChange>
              <To path="/shape/manifests">Write it as a manifest</To>
            </div>
            <Button variant="text" onClick={() => setSearch((was) => (was.delete('policy'), was))}>
              A new one
            </Button>
          </>
        ) : (
          <p className="soft">
            A policy isolates the pods it selects: from then on only what a policy allows reaches
            them. Choose one to see whom it lets in and out.
          </p>
        )
      }
    >
      <WireTabs here="/wire/policies" />
      {chosen ? <PolicySketch policy={chosen} /> : null}
      <Table
        name={`policies of ${cluster}`}
        columns={columns}
        rows={rows}
        id={(row) => row.key}
        selected={chosen?.key ?? null}
        onSelect={(row) => setSearch((was) => (was.set('policy', row.key), was))}
        empty={
          loaderData.answers
            ? 'No policy: every pod reaches every other. Tick calls below to begin with one.'
            : 'Its API does not answer.'
        }
      />
      {chosen ? null : <FromCalls data={loaderData} />}
    </Page>
  )
}
