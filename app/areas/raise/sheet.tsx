/** The draft of a cluster as one sheet: the left edits, the right shows what stands against it and what it would do. */
import { useEffect, useMemo, useRef, useState } from 'react'
import { data, redirect, useFetcher, useNavigate } from 'react-router'
import { patchDraft, type Remedy } from '~/core/changes'
import { type RaiseIntent } from '~/core/provisioning'
import { Refusal } from '~/server/changes/errors'
import { askedJson } from '../asked'
import { acting } from './sheet-asked'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Findings, type RemedyPlace, standingText, useAccepted } from '../../parts/findings'
import { windowsFor } from '../run/windows'
import { PlanSummary } from '../../parts/plan'
import { To } from '../../parts/to'
import { changeOrDrafts, orRefused } from '../refusals'
import { CheckIn, SelectIn, SheetContext, TextIn, withAt } from './fields'
import { Pools } from './pools'
import { Boxes, HallNetworks } from './sections'
import { Beside, keptText, NotRun, RunActs, standing, waitText } from './sheet-acts'
import { draftSlice } from './slice'
import { Walks } from './walks'
import { BootDataLink, OnMachines, Surroundings } from './surroundings'
import { useJudged } from './use-judged'
import type { Route } from './+types/sheet'
import './sheet.css'
import { Ranges } from './ranges'
import { normalText, type Kept, usualAt } from './use-keeping'
import { useKeeping } from './use-keeping'
import { Field } from '../../kit/field'
import { ControlPlane } from './control-plane'

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `${loaderData?.record.title ?? loaderData?.intent.name ?? 'draft'} · draft · Gyrarch` },
]

export async function loader({ params, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const record = await changeOrDrafts(gyrarch.changes, params.id)
  if (record.state !== 'draft' || record.kind !== 'cluster.raise')
    throw redirect(`/changes/${record.id}`)
  const intent = record.intent as RaiseIntent
  const view = await gyrarch.fleet.view()
  return {
    record,
    intent,
    view: draftSlice(view, intent.site),
    expectations: view.expectations ?? [],
    windows: windowsFor(record.subjects, view),
    now: view.now,
    aim: `site/${intent.site}`,
  }
}

export async function action({ request, params, context }: Route.ActionArgs) {
  const { changes } = context.get(gyrarchContext)
  return orRefused(async () => {
    const wanted = await askedJson(request, acting)
    switch (wanted.do) {
      case 'keep': {
        const record = await changes.amend(
          params.id,
          wanted.intent,
          wanted.version ?? null,
          wanted.title,
        )
        return { refused: null, fields: [], version: record.version }
      }
      case 'run': {
        await changes.run(params.id, {
          accept: wanted.accept,
          planDigest: wanted.planDigest,
        })
        throw redirect(`/changes/${params.id}`)
      }
      case 'schedule': {
        await changes.schedule(params.id, {
          accept: wanted.accept,
          planDigest: wanted.planDigest,
          at: wanted.at,
          window: wanted.window,
        })
        throw redirect(`/changes/${params.id}`)
      }
      case 'draft': {
        const change = await changes.draft(wanted.kind, wanted.intent)
        // The page goes there itself: a page that is just being read anew drops where an answer leads.
        return { refused: null, fields: [], drafted: change.id }
      }
      case 'template': {
        const record = await changes.get(params.id)
        const kept = await context.get(gyrarchContext).templates.keep({
          name: wanted.name,
          says: wanted.says,
          kind: record.kind,
          intent: record.intent,
          open: wanted.open,
        })
        return { refused: null, fields: [], kept: kept.name }
      }
      case 'discard':
        await changes.discard(params.id)
        throw redirect(`/raise?discarded=${params.id}`)
      default:
        throw new Refusal('invalid', 'The sheet can be kept, run or discarded.')
    }
  }).then((answer) => answer ?? data(null))
}

export default function Sheet({ loaderData }: Route.ComponentProps) {
  const { record } = loaderData
  // Another draft is another sheet.
  return <OneSheet key={record.id} {...loaderData} />
}

type Data = Route.ComponentProps['loaderData']
type Judged = ReturnType<typeof useJudged>
type Set = (path: string, value: unknown) => void

/** Takes remedies: one that amends the draft amends it, one that is another change is drafted. */
function useRemedies(
  record: Data['record'],
  intent: RaiseIntent,
  setIntent: (intent: RaiseIntent) => void,
  judged: Judged,
  runner: ReturnType<typeof useFetcher<Kept>>,
): (place: RemedyPlace) => void {
  const navigate = useNavigate()
  const apply = ({ change }: Remedy): void => {
    if (!('patchDraft' in change)) {
      void runner.submit(
        JSON.stringify({ do: 'draft', kind: change.kind, intent: change.intent }),
        { method: 'post', encType: 'application/json' },
      )
      return
    }
    const patched = patchDraft(intent, change.patchDraft)
    if (patched !== null) setIntent(patched as RaiseIntent)
  }
  const applied = useRef(apply)
  useEffect(() => {
    applied.current = apply
  })
  const drafted = runner.data?.drafted
  useEffect(() => {
    if (drafted !== undefined) void navigate(`/changes/${drafted}?then=${record.id}`)
  }, [drafted, navigate, record.id])
  // A remedy chosen while the check of the last letter is still under way is the one that check gives.
  const [chosen, setChosen] = useState<RemedyPlace | null>(null)
  const { pending, findings } = judged
  useEffect(() => {
    if (chosen === null || pending) return
    setChosen(null)
    const finding = findings.find((candidate) => candidate.key === chosen.key)
    const remedy = finding?.remedies[chosen.index]
    if (remedy) applied.current(remedy)
  }, [chosen, pending, findings])
  return setChosen
}

/** What the cluster is called, where it stands and what it runs. */
function What({
  intent,
  view,
  site,
  onSite,
}: {
  readonly intent: RaiseIntent
  readonly view: Data['view']
  readonly site: Data['view']['sites'][number] | undefined
  readonly onSite: (name: string) => void
}) {
  const hasImage = (release: string): boolean =>
    site?.images.some((image) => image.release === release) === true
  return (
    <section aria-labelledby="sheet-what">
      <h2 id="sheet-what">What</h2>
      <div className="fields">
        <TextIn path="name" label="Name" value={intent.name} width={170} />
        <SelectIn
          path="site"
          label="Site"
          value={intent.site}
          options={view.sites.map(({ name, kind }) => ({ value: name, says: `${name}, ${kind}` }))}
          onPick={onSite}
          width={190}
        />
        <SelectIn
          path="release"
          label="Release"
          value={intent.release}
          options={[...view.catalogue].reverse().map(({ version }) => ({
            value: version,
            says: hasImage(version) ? version : `${version}, no image here`,
          }))}
          width={130}
        />
        <SelectIn
          path="sshKey"
          label="SSH key"
          value={intent.sshKey ?? ''}
          options={view.sshKeys.map((key) => ({ value: key, says: key }))}
          empty="none"
          width={130}
        />
        <CheckIn path="guarded" label="Guarded" value={intent.guarded} />
      </div>
    </section>
  )
}

/** How many machines a draft boots. */
function machinesOf({ machines, pools, controlPlane }: RaiseIntent): number {
  if (machines.length > 0) return machines.length
  const workers = pools.reduce((sum, pool) => sum + (pool.count ?? pool.range?.min ?? 0), 0)
  return workers + (controlPlane.kind === 'own' ? controlPlane.count : 0)
}

function Links({ id, intent }: { readonly id: string; readonly intent: RaiseIntent }) {
  return (
    <p className="soft" style={{ padding: '4px 0 20px' }}>
      <BootDataLink id={id} machines={machinesOf(intent)} /> ·{' '}
      <a href={`/api/v1/changes/${id}/draft.yaml`}>Draft as YAML</a> · <To path="/keys">Keys</To> ·{' '}
      <To path="/raise">All drafts</To>
    </p>
  )
}

/** The sections of the sheet, one below the other. */
function Sections({
  data,
  intent,
  site,
  onSite,
}: {
  readonly data: Data
  readonly intent: RaiseIntent
  readonly site: Data['view']['sites'][number] | undefined
  readonly onSite: (name: string) => void
}) {
  const { record, view, expectations } = data
  return (
    <div className="scroll sheet" tabIndex={0} role="region" aria-label="Draft">
      <What intent={intent} view={view} site={site} onSite={onSite} />
      <ControlPlane intent={intent} site={site} />
      <Ground intent={intent} site={site} />
      <Ranges intent={intent} view={view} domain={site?.domain ?? ''} />
      {site?.kind === 'hall' ? <HallNetworks intent={intent} site={site} /> : null}
      <Surroundings intent={intent} site={site} />
      <Walks intent={intent} expectations={expectations} />
      <Links id={record.id} intent={intent} />
    </div>
  )
}

/** The other kind of site has other usual parts; those of the draft’s own choice stay. */
const movedTo = (intent: RaiseIntent, name: string, { sites }: Data['view']): RaiseIntent => {
  const next = sites.find((candidate) => candidate.name === name)
  const now = sites.find((candidate) => candidate.name === intent.site)
  const usual = next && next.kind !== now?.kind ? usualAt(next, intent) : {}
  return { ...intent, site: name, networks: {}, ...usual }
}

function OneSheet(data: Data) {
  const { record, intent: savedIntent, view } = data
  const [intent, setIntent] = useState(savedIntent)
  const [title, setTitle] = useState(record.title)
  const [accepted, accept] = useAccepted()
  const runner = useFetcher<Kept>()
  const saved = useMemo(
    () => ({ intent: savedIntent, title: record.title, version: record.version }),
    [savedIntent, record.title, record.version],
  )
  const keeping = useKeeping(record.id, intent, title, saved)
  const judged = useJudged(
    record.kind,
    intent,
    normalText(intent) !== normalText(savedIntent),
    view,
    { findings: record.findings, plan: record.plan, digest: record.planDigest },
  )
  const take = useRemedies(record, intent, setIntent, judged, runner)
  const site = view.sites.find((candidate) => candidate.name === intent.site)
  const set: Set = (path, value) => setIntent((before) => withAt(before, path, value))
  const stands = standing(judged, accepted, !keeping.dirty && !keeping.keeping)
  const post = (request: Record<string, unknown>): void =>
    void runner.submit(JSON.stringify(request), { method: 'post', encType: 'application/json' })
  const takesSite = (name: string): void => setIntent((before) => movedTo(before, name, view))
  return (
    <SheetContext.Provider value={{ findings: judged.findings, set }}>
      <Page
        title={
          <Field
            label="Name of the draft"
            hideLabel
            value={title ?? ''}
            placeholder={intent.name || 'unnamed draft'}
            onChange={(text) => setTitle(text === '' ? null : text)}
            maxLength={120}
            width={280}
          />
        }
        beside={
          <Beside
            record={record}
            intent={intent}
            title={title}
            kept={keptText(keeping, record.id)}
            onDiscard={() => post({ do: 'discard' })}
          />
        }
        reason={
          <>
            <h2 role="status">{standingText(judged.findings)}</h2>
            {judged.unreadable === null ? null : (
              <p className="soft">The draft cannot be read: {judged.unreadable}</p>
            )}
            <Findings
              change={record.id}
              findings={judged.findings}
              onRemedy={(_remedy, at) => take(at)}
              accepted={accepted}
              onAccept={accept}
            />
            <PlanSummary plan={judged.plan} />
            <RunActs
              data={data}
              judged={judged}
              accepted={accepted}
              waits={waitText(stands, keeping.dirty)}
              disabled={!stands.isReady || runner.state !== 'idle'}
              post={post}
            />
            <NotRun says={runner.data?.refused} />
          </>
        }
      >
        <Sections data={data} intent={intent} site={site} onSite={takesSite} />
      </Page>
    </SheetContext.Provider>
  )
}

/** What it stands on: machines that are there, or pools that its site makes. */
function Ground({
  intent,
  site,
}: {
  readonly intent: RaiseIntent
  readonly site: Data['view']['sites'][number] | undefined
}) {
  const isNamed = site?.kind === 'edge' || intent.machines.length > 0
  return (
    <>
      {isNamed ? <Boxes intent={intent} site={site} /> : null}
      {site?.kind === 'hall' ? <OnMachines intent={intent} site={site} /> : null}
      {isNamed ? null : <Pools intent={intent} site={site} />}
    </>
  )
}
