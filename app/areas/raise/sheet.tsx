/** The draft of a cluster as one sheet: the left edits, the right shows what stands against it and what it would do. */
import Button from '@mui/material/Button'
import { useEffect, useMemo, useRef, useState } from 'react'
import { data, redirect, useFetcher, useNavigate } from 'react-router'
import { patchDraft, type Remedy } from '~/core/changes'
import { type RaiseIntent } from '~/core/provisioning'
import { Refusal } from '~/server/changes/errors'
import { askedJson } from '../asked'
import { acting } from './sheet-asked'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { CopyButton } from '../../parts/copy-button'
import { Findings, type RemedyPlace, standingText, useAccepted } from '../../parts/findings'
import { Later } from '../../parts/later'
import { windowsFor } from '../run/windows'
import { PlanSummary } from '../../parts/plan'
import { saveFile } from '../../kit/save-file'
import { To, useAddress } from '../../parts/to'
import { markdownOf } from '../run/markdown'
import { changeOrDrafts, orRefused } from '../refusals'
import { CheckIn, SelectIn, SheetContext, TextIn, withAt } from './fields'
import { Boxes, HallNetworks, Pools } from './sections'
import { draftSlice } from './slice'
import { KeepTemplate } from './keep-template'
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
import { Notice } from '../../kit/notice'

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

function OneSheet({
  record,
  intent: savedIntent,
  view,
  expectations,
  windows,
  now,
}: Route.ComponentProps['loaderData']) {
  const [intent, setIntent] = useState(savedIntent)
  const [title, setTitle] = useState(record.title)
  const [accepted, accept] = useAccepted()
  const navigate = useNavigate()
  const address = useAddress()
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
  const site = view.sites.find((site) => site.name === intent.site)
  const set = (path: string, value: unknown): void => setIntent((was) => withAt(was, path, value))
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
  // A remedy chosen while the check of the last letter is still under way is the one that check gives.
  const [chosen, setChosen] = useState<RemedyPlace | null>(null)
  const applied = useRef(apply)
  useEffect(() => {
    applied.current = apply
  })
  const drafted = runner.data?.drafted
  useEffect(() => {
    if (drafted !== undefined) void navigate(`/changes/${drafted}?then=${record.id}`)
  }, [drafted, navigate, record.id])
  const { pending, findings: judgedFindings } = judged
  useEffect(() => {
    if (chosen === null || pending) return
    setChosen(null)
    const remedy = judgedFindings.find((finding) => finding.key === chosen.key)?.remedies[
      chosen.index
    ]
    if (remedy) applied.current(remedy)
  }, [chosen, pending, judgedFindings])
  const stops = judged.findings.filter((finding) => finding.level === 'stop').length
  const cautions = judged.findings.filter((finding) => finding.level === 'caution')
  const missing = cautions.filter((finding) => !accepted.has(finding.key)).length
  const ready =
    !keeping.dirty && !keeping.keeping && stops === 0 && missing === 0 && judged.plan !== null
  const post = (request: Record<string, unknown>): void =>
    void runner.submit(JSON.stringify(request), { method: 'post', encType: 'application/json' })
  const releases = [...view.catalogue].reverse().map((release) => ({
    value: release.version,
    says: `${release.version}${site?.images.some((image) => image.release === release.version) ? '' : ', no image here'}`,
  }))
  const takesSite = (name: string): void => {
    const otherSite = view.sites.find((candidate) => candidate.name === name)
    setIntent((was) => ({
      ...was,
      site: name,
      networks: {},
      ...(otherSite && otherSite.kind !== site?.kind ? usualAt(otherSite, was) : {}),
    }))
  }
  return (
    <SheetContext.Provider value={{ findings: judged.findings, set }}>
      <Page
        title={
          <>
            <Field
              label="Name of the draft"
              hideLabel
              value={title ?? ''}
              placeholder={intent.name || 'unnamed draft'}
              onChange={(text) => setTitle(text === '' ? null : text)}
              maxLength={120}
              width={280}
            />
          </>
        }
        beside={
          <>
            <span className="soft" role="status">
              {keeping.refused !== null && keeping.dirty
                ? `not kept: ${keeping.refused}`
                : keeping.dirty || keeping.keeping
                  ? 'keeping…'
                  : `draft ${record.id}, kept`}
            </span>
            <span style={{ flex: 1 }} />
            <Button
              variant="outlined"
              component={To}
              path="/raise/compare"
              query={{ a: record.id }}
            >
              Compare
            </Button>
            <Button
              variant="outlined"
              onClick={() =>
                saveFile(
                  `${intent.name || record.id}.draft.json`,
                  'application/json',
                  `${JSON.stringify({ gyrarch: 'draft/1', kind: record.kind, title, intent }, null, 2)}\n`,
                )
              }
            >
              Share
            </Button>
            <KeepTemplate id={record.id} intent={intent} />
            <Button variant="outlined" onClick={() => post({ do: 'discard' })}>
              Discard
            </Button>
          </>
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
              onRemedy={(_remedy, at) => setChosen(at)}
              accepted={accepted}
              onAccept={accept}
            />
            <PlanSummary plan={judged.plan} />
            <div className="acts">
              <Button
                variant="contained"
                disabled={!ready || runner.state !== 'idle'}
                onClick={() =>
                  post({ do: 'run', accept: [...accepted], planDigest: record.planDigest })
                }
              >
                Run
              </Button>
              <Later
                windows={windows}
                now={now}
                worst={judged.plan?.seconds.worst ?? 0}
                disabled={!ready || runner.state !== 'idle'}
                onSchedule={(when, isShort) =>
                  post({
                    do: 'schedule',
                    ...when,
                    accept: [
                      ...accepted,
                      ...(isShort && 'window' in when
                        ? [`window.short|window/${when.window}`]
                        : []),
                    ],
                    planDigest: record.planDigest,
                  })
                }
              />
              <CopyButton
                text={() => markdownOf({ ...record, findings: judged.findings, plan: judged.plan })}
              >
                Copy as Markdown
              </CopyButton>
              <span className="soft">
                {stops > 0
                  ? 'after the stops are cleared'
                  : missing > 0
                    ? 'after the cautions are accepted'
                    : keeping.dirty
                      ? 'as soon as it is kept'
                      : ''}
              </span>
            </div>
            {runner.data?.refused ? (
              <Notice>
                <b>Not run.</b> {runner.data.refused}
              </Notice>
            ) : null}
          </>
        }
      >
        <div className="scroll sheet" tabIndex={0} role="region" aria-label="Draft">
          <section aria-labelledby="sheet-what">
            <h2 id="sheet-what">What</h2>
            <div className="fields">
              <TextIn path="name" label="Name" value={intent.name} width={170} />
              <SelectIn
                path="site"
                label="Site"
                value={intent.site}
                options={view.sites.map((otherSite) => ({
                  value: otherSite.name,
                  says: `${otherSite.name}, ${otherSite.kind}`,
                }))}
                onPick={takesSite}
                width={190}
              />
              <SelectIn
                path="release"
                label="Release"
                value={intent.release}
                options={releases}
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
          <ControlPlane intent={intent} site={site} />
          {site?.kind === 'edge' || intent.machines.length > 0 ? (
            <Boxes intent={intent} site={site} />
          ) : null}
          {site?.kind === 'hall' ? <OnMachines intent={intent} site={site} /> : null}
          {site?.kind !== 'edge' && intent.machines.length === 0 ? (
            <Pools intent={intent} site={site} />
          ) : null}
          <Ranges intent={intent} view={view} domain={site?.domain ?? ''} />
          {site?.kind === 'hall' ? <HallNetworks intent={intent} site={site} /> : null}
          <Surroundings intent={intent} site={site} />
          <Walks intent={intent} expectations={expectations} />
          <p className="soft" style={{ padding: '4px 0 20px' }}>
            <BootDataLink
              id={record.id}
              machines={
                intent.machines.length +
                intent.pools.reduce((sum, pool) => sum + (pool.count ?? pool.range?.min ?? 0), 0) +
                (intent.controlPlane.kind === 'own' && intent.machines.length === 0
                  ? intent.controlPlane.count
                  : 0)
              }
            />{' '}
            · <a href={`/api/v1/changes/${record.id}/draft.yaml`}>Draft as YAML</a> ·{' '}
            <To path="/keys">Keys</To> ·{' '}
            <a
              href={address('/raise')}
              onClick={(event) => {
                event.preventDefault()
                void navigate(address('/raise'))
              }}
            >
              All drafts
            </a>
          </p>
        </div>
      </Page>
    </SheetContext.Provider>
  )
}
