/** One cluster: its nodes, objects and events, its access file, and the way to take it down. */
import { z } from 'zod'
import { redirect, useNavigate, useSearchParams } from 'react-router'
import {
  amissText,
  clusterState,
  leftovers,
  type NodeView,
  nodesOf,
  nodeState,
  type State,
  stateContext,
} from '~/core/fleet'
import { usualHealth } from '~/core/keeping'
import { countText, GiB, numberText } from '~/core/units'
import { healthBody, setHealth } from '~/server/watchers/health-policy'
import { breath } from '~/server/breath'
import { askedForm, field, jsonField } from '../asked'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Reason } from '../../parts/reason'
import { StateGlyph, StateText } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { useAddress } from '../../parts/to'
import { Ago, clockText } from '../../parts/when'
import { reasonFor, withCase } from '../reason-data'
import { orNotFound, orRefused } from '../refusals'
import { Refusal } from '~/server/changes/errors'
import { LabelsAndGuard, LeftAtSite, NodeActs, TakeDown } from './acts'
import { Keeping, type KeepingData } from './keeping'
import '../ground/ground.css'
import { SharedCauses } from './shared-causes'
import { fleetAsked } from '../moment'
import { packed, usePacked } from '../packed'
import type { Route } from './+types/cluster'
import { objectSays, type ApiObject } from './object-says'
import { Access } from './access'
import { Reached } from './reached'
import { Tabs } from '../../kit/tabs'

export const meta: Route.MetaFunction = ({ params }) => [{ title: `${params.name} · Gyrarch` }]

interface ObjectRow {
  readonly kind: string
  readonly namespace: string
  readonly name: string
  readonly says: string
  readonly createdAt: string
}

const tabs = ['nodes', 'keeping', 'objects', 'events'] as const

export async function loader({ params, request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const cluster = await orNotFound(() => gyrarch.cluster(params.name, fleet))
  const view = await fleet.view()
  const search = new URL(request.url).searchParams
  const tab = tabs.find((tab) => tab === search.get('show')) ?? 'nodes'
  const state = stateContext(view)
  const site = view.sites.find((site) => site.name === cluster.site)
  const objects = tab === 'objects' ? await fleet.objectsOf(cluster.name) : null
  const events = (tab === 'events' ? await fleet.eventsOf(cluster.name) : []) ?? []
  const at = search.get('on')
  await breath()
  const ref = at === null ? `cluster/${cluster.name}` : `node/${cluster.name}/${at}`
  const reason = withCase(
    reasonFor(view, ref) ?? reasonFor(view, `cluster/${cluster.name}`),
    await gyrarch.cases.openAbout(ref),
  )
  const causes = await gyrarch.health.causes()
  await breath()
  return {
    aim: `cluster/${cluster.name}`,
    now: view.now,
    tab,
    name: cluster.name,
    guarded: cluster.guarded,
    labels: cluster.labels,
    apiAnswers: cluster.apiAnswers,
    reach: cluster.reach ?? null,
    agent: cluster.reach ? await gyrarch.reach.agentState(cluster.name) : null,
    ...clusterState(cluster, state),
    summary: `${cluster.site} · ${cluster.release} · ${countText(nodesOf(cluster).length, 'node')} · ${countText(cluster.podCount, 'pod')}`,
    nodes: cluster.pools.flatMap((pool) =>
      pool.nodes.map((node) => ({ ...node, pool: pool.name, ...nodeState(node, cluster, state) })),
    ),
    objects: packed(
      (objects ?? []).map((object): ObjectRow => {
        const read = object as ApiObject
        return {
          kind: read.kind ?? '',
          namespace: read.metadata?.namespace ?? '',
          name: read.metadata?.name ?? '',
          says: objectSays(read),
          createdAt: read.metadata?.creationTimestamp ?? '',
        }
      }),
    ),
    events: events.map((event) => ({ ...event, at: new Date(event.at).toISOString() })).reverse(),
    reason,
    keeping: {
      name: cluster.name,
      now: view.now,
      managed: cluster.controlPlane.kind === 'managed',
      guarded: cluster.guarded,
      sizes: site?.sizes.map((size) => size.name) ?? [],
      pools: cluster.pools
        .filter((pool) => pool.name !== 'control-plane')
        .map((pool) => ({
          name: pool.name,
          size: pool.size,
          count: pool.nodes.length,
          range: pool.range,
          lifetime: pool.lifetime,
        })),
      certificatesUntil: cluster.certificatesUntil,
      backups: cluster.backups,
      health:
        (tab === 'keeping' ? (await gyrarch.health.policies()).get(cluster.name) : undefined) ??
        usualHealth,
    } satisfies KeepingData,
    causes: causes
      .filter((cause) => cause.nodes.some((node) => node.cluster === cluster.name))
      .map(({ says, remedies }) => ({ says, remedies })),
    left: site
      ? leftovers(site, view.clusters).filter(
          (item) => item.was === cluster.name || item.was === null,
        )
      : [],
  }
}

const acting = z.object({ do: field(), policy: jsonField })

export async function action({ request, params, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  return orRefused(async () => {
    const asked = await askedForm(request, acting)
    if (asked.do === 'health') {
      const policy = healthBody.safeParse(asked.policy)
      if (!policy.success)
        throw new Refusal(
          'invalid',
          'Between 30 s and a day, between 1 and 100 %, and up to 1,000 machines a day.',
        )
      await setHealth(gyrarch, params.name, policy.data)
      return { refused: null }
    }
    if (asked.do === 'take-down') {
      const record = await gyrarch.changes.draft('cluster.takedown', { cluster: params.name })
      throw redirect(`/changes/${record.id}`)
    }
    throw new Refusal(
      'invalid',
      'The health policy of a cluster can be set, or it can be taken down.',
    )
  })
}

type NodeRow = NodeView & { readonly state: State; readonly says: string }

const nodeColumns = (now: string): readonly Column<NodeRow>[] => [
  {
    name: 'node',
    value: (node) => node.name,
    show: (node) => <span className="mono">{node.name}</span>,
  },
  { name: 'state', value: (node) => node.state, show: (node) => <StateText state={node.state} /> },
  { name: 'pool', value: (node) => node.pool },
  {
    name: 'zone',
    value: (node) => node.zone,
    show: (node) => <span className="mono">{node.zone}</span>,
  },
  {
    name: 'address',
    value: (node) => node.address,
    show: (node) => <span className="mono">{node.address}</span>,
  },
  {
    name: 'agent',
    value: (node) => node.release,
    show: (node) => <span className="mono">{node.release}</span>,
  },
  {
    name: 'conditions',
    value: (node) => amissText(node),
  },
  {
    name: 'cores asked',
    value: (node) => node.requestedCpuMilli / 1000,
    show: (node) =>
      `${numberText(node.requestedCpuMilli / 1000, 2)} of ${numberText(node.allocatableCpuMilli / 1000, 2)}`,
    number: true,
  },
  {
    name: 'GiB asked',
    value: (node) => node.requestedMemoryBytes / GiB,
    show: (node) =>
      `${numberText(node.requestedMemoryBytes / GiB, 1)} of ${numberText(node.allocatableMemoryBytes / GiB, 1)}`,
    number: true,
  },
  { name: 'pods', value: (node) => node.pods, number: true },
  {
    name: 'made',
    isHiddenAtFirst: true,
    value: (node) => node.createdAt,
    show: (node) => <Ago at={node.createdAt} now={now} />,
  },
]

const objectColumns = (now: string): readonly Column<ObjectRow>[] => [
  { name: 'kind', value: (row) => row.kind },
  {
    name: 'namespace',
    value: (row) => row.namespace,
    show: (row) => <span className="mono">{row.namespace}</span>,
  },
  {
    name: 'name',
    value: (row) => row.name,
    show: (row) => <span className="mono">{row.name}</span>,
  },
  { name: 'says', value: (row) => row.says },
  {
    name: 'made',
    value: (row) => row.createdAt,
    show: (row) => (row.createdAt === '' ? '' : <Ago at={row.createdAt} now={now} />),
  },
]

type EventRow = Route.ComponentProps['loaderData']['events'][number]

const eventColumns: readonly Column<EventRow>[] = [
  { name: 'at', value: (event) => event.at, show: (event) => clockText(event.at) },
  {
    name: 'type',
    value: (event) => event.type,
    show: (event) => (
      <StateText state={event.type === 'Warning' ? 'strained' : 'well'}>{event.type}</StateText>
    ),
  },
  { name: 'reason', value: (event) => event.reason },
  {
    name: 'about',
    value: (event) => event.about,
    show: (event) => <span className="mono">{event.about}</span>,
  },
  { name: 'message', value: (event) => event.message, wraps: true },
]

type Data = Route.ComponentProps['loaderData']

/** The table, or the lines, of the tab that is open. */
function Shown({
  data,
  onSelect,
}: {
  readonly data: Data
  readonly onSelect: (node: string) => void
}) {
  const { name, tab, nodes, events, now, apiAnswers, keeping } = data
  const objects = usePacked(data.objects)
  const [search] = useSearchParams()
  switch (tab) {
    case 'nodes':
      return (
        <Table
          name={`nodes of ${name}`}
          columns={nodeColumns(now)}
          rows={nodes}
          id={(node) => node.name}
          selected={search.get('on')}
          onSelect={(node) => onSelect(node.name)}
          empty={
            apiAnswers
              ? 'No node has joined yet.'
              : 'Its API does not answer yet, so nothing is known of its nodes.'
          }
        />
      )
    case 'keeping':
      return <Keeping key={name} {...keeping} />
    case 'objects':
      return (
        <Table
          name={`objects of ${name}`}
          columns={objectColumns(now)}
          rows={objects}
          id={(row) => `${row.kind}/${row.namespace}/${row.name}`}
          empty={apiAnswers ? 'It holds no objects.' : 'Its API does not answer.'}
        />
      )
    case 'events':
      return (
        <Table
          name={`events of ${name}`}
          columns={eventColumns}
          rows={events}
          id={(event) => `${event.at}${event.about}${event.reason}${event.message}`}
          empty="Its API has no events now: it keeps them only for a while."
        />
      )
    default:
      return null
  }
}

export default function Cluster({ loaderData }: Route.ComponentProps) {
  const { name, state, says, summary, tab, nodes, reason, now, apiAnswers, reach, agent, left } =
    loaderData
  const { labels, guarded } = loaderData
  const [search] = useSearchParams()
  const chosen = nodes.find((node) => node.name === search.get('on'))
  const navigate = useNavigate()
  const address = useAddress()
  const keep = Object.fromEntries(search)
  const select = (node: string): void =>
    void navigate(address(`/clusters/${name}`, { ...keep, on: node }), { preventScrollReset: true })
  return (
    <Page
      title={
        <>
          <StateGlyph state={state} title={state} /> {name}
        </>
      }
      beside={<span className="soft">{summary}</span>}
      reason={
        <>
          {reason ? <Reason reason={{ ...reason, actions: [] }} now={now} /> : <p>{says}</p>}
          {chosen ? <NodeActs cluster={name} node={chosen} reached={Boolean(reach)} /> : null}
          {reach ? (
            <Reached name={name} reach={reach} agent={agent} />
          ) : (
            <Access name={name} answers={apiAnswers} />
          )}
          <LabelsAndGuard name={name} labels={labels} guarded={guarded} />
          <LeftAtSite left={left} />
          {reach ? null : <TakeDown />}
        </>
      }
    >
      <SharedCauses causes={loaderData.causes} />
      <Tabs
        label="What to show"
        here={tab}
        tabs={tabs
          .filter((text) => text !== 'keeping' || !reach)
          .map((text) => ({
            id: text,
            says: text,
            path: `/clusters/${name}`,
            query: { ...keep, show: text === 'nodes' ? null : text },
          }))}
      />
      <Shown data={loaderData} onSelect={select} />
    </Page>
  )
}
