/** One change from draft to proof: its findings and plan, its run as it happens, and what can be done about it. */
import { useState } from 'react'
import { redirect, useRouteLoaderData } from 'react-router'
import { notBegun, progressOf } from '~/core/changes'
import { nodesOf, type FleetView } from '~/core/fleet'
import { timeZones } from '~/core/scaling'
import type { Gyrarch } from '~/server/gyrarch'
import type { ChangeRecord, StepRecord } from '~/server/changes/changes'
import { Refusal } from '~/server/changes/errors'
import { verdictsFor } from '~/server/changes/verdicts'
import { noticesOfChange } from '~/server/mend/notices-of-change'
import { askedForm } from '../asked'
import { acting } from './run-asked'
import { gyrarchContext } from '../../context'
import { useLive } from '../../frame/live'
import { Page } from '../../frame/page'
import { mergeSteps } from '../../frame/run-line'
import { changeOrDrafts, orRefused } from '../refusals'
import { fleetUpgradeName, turnedPools } from '~/core/releases/changes'
import { windowsOf } from '~/core/windows'
import { Actions } from './actions'
import { AgentAwaited } from './agent-awaited'
import { agentAwaited } from './agent-data'
import { Members, SetSheet } from './members'
import { windowsFor } from './windows'
import { type DraftData, draftDataOf } from './draft-data'
import { DraftSheet } from './draft-sheet'
import { DrivesAwaited } from './drives'
import { Joins } from './joins'
import { Noticed } from './noticed'
import { Verdicts } from './verdicts'
import './run.css'
import { RunReason, StepReason } from './reasons'
import { isOnTheWall, timedBySteps } from './real-time'
import { Rehearsal } from './rehearsal'
import { Status } from './status'
import { isUnderWay, Steps, useSteps } from './run-steps'
import type { Route } from './+types/run'

export const meta: Route.MetaFunction = ({ loaderData }) => [
  {
    title: loaderData
      ? `${loaderData.record.label} · ${loaderData.record.state} · Gyrarch`
      : 'Gyrarch',
  },
]

const subjectOf = (record: ChangeRecord): string | null => {
  const intent = record.intent as { name?: unknown; cluster?: unknown; site?: unknown }
  if (record.kind === 'cluster.takedown' && typeof intent.cluster === 'string')
    return `cluster/${intent.cluster}`
  return typeof intent.site === 'string' ? `site/${intent.site}` : null
}

/** The change that this one was made for, with how it stands. */
async function thenOf(
  gyrarch: Gyrarch,
  id: string | null,
): Promise<{
  readonly id: string
  readonly state: string
  readonly guardedBy: string | null
} | null> {
  if (id === null || !/^c-\d{1,12}$/.test(id)) return null
  const record = await gyrarch.changes.get(id).catch(() => null)
  return record ? { id: record.id, state: record.state, guardedBy: record.guardedBy } : null
}

/** As many things are offered in one field. */
const mostOffered = 400

/** Values worth offering for the fields of a draft, by the names of the fields. */
function choicesFor(
  view: FleetView,
  kind: string,
  intent: unknown,
): Readonly<Record<string, readonly string[]>> {
  const request = intent as { site?: string; cluster?: string; pool?: string }
  const site = view.sites.find((site) => site.name === request.site)
  const cluster = view.clusters.find((cluster) => cluster.name === request.cluster)
  const nodes = cluster ? nodesOf(cluster).map((node) => node.name) : []
  const pool = cluster?.pools.find((pool) => pool.name === request.pool)
  return {
    site: view.sites.map((otherSite) => otherSite.name),
    cluster: view.clusters
      .filter((otherCluster) => site === undefined || otherCluster.site === site.name)
      .map((otherCluster) => otherCluster.name),
    ...(cluster
      ? {
          pool: cluster.pools
            .filter((pool) => pool.name !== 'control-plane')
            .map((pool) => pool.name),
          leaveOut: cluster.pools
            .filter((pool) => pool.name !== 'control-plane')
            .map((pool) => pool.name),
          node: nodes.slice(0, mostOffered),
          nodes: (pool ? pool.nodes.map((node) => node.name) : nodes).slice(0, mostOffered),
        }
      : {}),
    ...(site ? { zone: site.zones } : {}),
    ...(kind === 'cluster.rest' ? { zone: timeZones() } : {}),
    ...(kind === fleetUpgradeName ? fleetChoices(view, intent) : {}),
  }
}

/** Windows there are, and the pools of the clusters that are named. */
function fleetChoices(view: FleetView, intent: unknown) {
  const { clusters = [] } = intent as { clusters?: readonly { readonly cluster?: string }[] }
  const pools = view.clusters
    .filter(({ name }) => clusters.some(({ cluster }) => cluster === name))
    .flatMap((cluster) => turnedPools(cluster).map(({ name }) => name))
  return {
    window: windowsOf(view).map(({ name }) => name),
    pool: [...new Set(pools)].slice(0, mostOffered),
  }
}

export async function loader({ params, request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const kept = await changeOrDrafts(gyrarch.changes, params.id)
  const isReal = isOnTheWall(kept, gyrarch.fleet.last())
  const record = isReal ? timedBySteps(kept) : kept
  if (record.state === 'draft' && record.kind === 'cluster.raise')
    throw redirect(`/raise/${record.id}`)
  const { name } = record.intent as { name?: string }
  const view = gyrarch.fleet.last()
  const cluster = view.clusters.find((cluster) => cluster.name === name)
  const url = new URL(request.url)
  const { machines: joins, missing } = record.steps.some((step) => step.verb === 'join.await')
    ? await gyrarch.joins.of(record.id, url.origin)
    : { machines: [], missing: null }
  return {
    joins,
    missing,
    enrols: name ?? '',
    agent: await agentAwaited(gyrarch, record, name ?? ''),
    notices: await noticesOfChange(gyrarch, record),
    verdicts: await verdictsFor(gyrarch, record, request.signal),
    draft: draftDataOf(record),
    choices: record.state === 'draft' ? choicesFor(view, record.kind, record.intent) : {},
    windows:
      record.state === 'draft' ? windowsFor(record.subjects, await gyrarch.fleet.view()) : [],
    then: await thenOf(gyrarch, url.searchParams.get('then')),
    record,
    openCase: await gyrarch.cases.openAbout(`run/${record.id}`),
    wayBack:
      record.state === 'draft'
        ? { later: [], whyNot: null }
        : await gyrarch.changes.wayBack(record.id),
    aim: subjectOf(record),
    cluster: cluster?.apiAnswers === true ? cluster.name : null,
    now: isReal ? new Date().toISOString() : new Date(gyrarch.outside.now).toISOString(),
  }
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  const { changes } = gyrarch
  return orRefused(async () => {
    const asked = await askedForm(request, acting)
    const { confirm, accept } = asked
    switch (asked.do) {
      case 'run':
        await changes.run(params.id, {
          accept,
          confirm,
          planDigest: asked.planDigest,
        })
        break
      case 'retry':
        await changes.retry(params.id, confirm)
        break
      case 'take-back':
        await changes.takeBack(params.id, confirm, asked.with)
        break
      case 'give-up':
        await changes.giveUp(params.id)
        break
      case 'schedule':
        await changes.schedule(params.id, {
          accept,
          confirm,
          planDigest: asked.planDigest,
          at: asked.at,
          window: asked.window,
        })
        break
      case 'unschedule':
        await changes.unschedule(params.id)
        break
      case 'unqueue':
        await changes.unqueue(params.id)
        break
      case 'amend':
        await changes.amend(params.id, asked.intent, null)
        break
      case 'join-call':
        await gyrarch.joins.runOnStandIn(params.id, asked.machine)
        break
      case 'join-renew':
        await gyrarch.joins.renew(params.id, asked.machine)
        break
      case 'discard':
        await changes.discard(params.id)
        throw redirect(`/raise?discarded=${params.id}`)
      case 'amend-and-go-on': {
        await changes.amend(params.id, asked.intent, null)
        await changes.retry(params.id, confirm)
        break
      }
      case 'draft-anew': {
        const record = await changes.find(params.id)
        const anew = await changes.draft(record.kind, asked.intent)
        await changes.takeBack(params.id, confirm)
        throw redirect(`/raise/${anew.id}`)
      }
      default:
        throw new Refusal('invalid', 'A change can be run, retried, taken back or given up.')
    }
    return { refused: null, fields: [] }
  })
}

/** The record with its run kept fresh by the stream. */
function useRun(given: ChangeRecord): ChangeRecord {
  const [live, setLive] = useState<{
    readonly from: ChangeRecord
    readonly state: ChangeRecord['state']
    readonly steps: readonly StepRecord[]
  } | null>(null)
  useLive('run', (event) => {
    if (event.id !== given.id) return
    setLive((was) => ({
      from: given,
      state: event.state as ChangeRecord['state'],
      steps: mergeSteps(was?.from === given ? was.steps : given.steps, event.steps),
    }))
  })
  return live?.from === given ? { ...given, state: live.state, steps: live.steps } : given
}

function useNow(given: string): number {
  const root = useRouteLoaderData('root') as { clock?: { now: string } } | undefined
  const [live, setLive] = useState<string | null>(null)
  useLive('clock', (clock) => setLive(clock.now))
  const times = [given, root?.clock?.now ?? given, ...(live === null ? [] : [live])].map((at) =>
    Date.parse(at),
  )
  return Math.max(...times)
}

export default function Run({ loaderData }: Route.ComponentProps) {
  return <OneRun key={loaderData.record.id} {...loaderData} />
}

type Data = Route.ComponentProps['loaderData']

/** What a run waits for from outside: machines that call, an agent, drives. */
function Awaited({
  record,
  steps,
  data,
}: {
  readonly record: ChangeRecord
  readonly steps: readonly StepRecord[]
  readonly data: Data
}) {
  const { joins, missing, agent, enrols } = data
  const waits = joins.some((join) => join.state !== 'taken') && record.state !== 'done'
  return (
    <>
      {waits ? <Joins joins={joins} missing={missing} /> : null}
      {agent ? <AgentAwaited name={enrols} agent={agent} /> : null}
      <DrivesAwaited steps={steps} />
    </>
  )
}

function OneRun(data: Data) {
  const { cluster, choices, draft, notices, openCase, verdicts, then, wayBack, windows } = data
  const record = useRun(data.record)
  const now = useNow(data.now)
  const chosen = useSteps()
  const steps: readonly StepRecord[] =
    record.steps.length === 0 ? (record.plan?.steps ?? []).map(notBegun) : record.steps
  const end = record.endedAt !== null && !isUnderWay(record) ? Date.parse(record.endedAt) : now
  const selected = steps.find((step) => step.id === chosen.at) ?? null
  return (
    <Page
      title={record.title ?? record.label.charAt(0).toUpperCase() + record.label.slice(1)}
      beside={<Status record={record} now={end} progress={progressOf(steps, end)} steps={steps} />}
      reason={
        <>
          {selected ? (
            <StepReason step={selected} record={record} now={now} />
          ) : (
            <RunReason record={record} cluster={cluster} then={then} openCase={openCase} />
          )}
          <Noticed notices={notices} />
          <Actions record={record} wayBack={wayBack} windows={windows} now={data.now} />
        </>
      }
    >
      <Verdicts verdicts={verdicts} />
      <Sheet
        record={record}
        draft={draft}
        choices={choices}
        windows={windows.map(({ name }) => name)}
      />
      <Awaited record={record} steps={steps} data={data} />
      <Rehearsal record={record} />
      <Steps record={record} steps={steps} now={now} end={end} {...chosen} />
    </Page>
  )
}

/** What a draft is edited in; of a set that runs, where its members stand. */
function Sheet({
  record,
  draft: { form, set, members, labels },
  choices,
  windows,
}: {
  readonly record: ChangeRecord
  readonly draft: DraftData
  readonly choices: Readonly<Record<string, readonly string[]>>
  readonly windows: readonly string[]
}) {
  if (set) return <SetSheet key={record.id} {...{ record, set, labels, windows }} />
  if (record.state === 'draft')
    return <DraftSheet key={record.id} record={record} form={form} choices={choices} />
  return members ? <Members record={record} members={members} labels={labels} /> : null
}
