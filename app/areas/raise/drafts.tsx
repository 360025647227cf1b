/** All drafts and runs; a new draft, or one dropped in as a file. */
import { z } from 'zod'
import Button from '@mui/material/Button'
import { redirect, useFetcher, useSearchParams } from 'react-router'
import { askedJson } from '../asked'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { DraftButton } from '../../parts/draft-button'
import { changeGlyph, StateGlyph } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { To, useAddress } from '../../parts/to'
import { clockText } from '../../parts/when'
import { countText } from '~/core/units'
import { orRefused } from '../refusals'
import { readDraftFile } from '~/server/changes/draft-file'
import { Refusal } from '~/server/changes/errors'
import { RunAsOne } from '../run/run-as-one'
import type { Route } from './+types/drafts'
import './sheet.css'
import { Drop } from '../../kit/drop'
import { Passing } from '../../kit/passing'
import { Refused } from '../../kit/notice'

export const meta: Route.MetaFunction = () => [{ title: 'Raise · Gyrarch' }]

const fileLimit = 1024 * 1024
const setBody = z.object({ set: z.array(z.string().max(20)).min(2).max(100) })

export async function loader({ context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const rows = await gyrarch.changes.list({ ownOnly: true })
  return {
    templates: (await gyrarch.templates.list()).map(
      ({ name, says, kind, open, shipped, intent }) => ({
        name,
        says,
        kind,
        open,
        shipped,
        site: (intent as { site?: string }).site ?? '',
        walks: ((intent as { expects?: readonly unknown[] }).expects ?? []).length,
      }),
    ),
    changes: rows.map((row) => ({
      id: `c-${row.number}`,
      title: row.title ?? row.label,
      kind: row.kind,
      site: row.site ?? '',
      state: row.state,
      startedAt: row.startedAt,
      waitsFor: row.waitsFor,
      dueAt: row.state === 'scheduled' ? (row.dueAt ?? null) : null,
      amendedWall: row.amendedAt.toISOString(),
    })),
  }
}

/** Takes a shared draft. */
export async function action({ request, context }: Route.ActionArgs) {
  const { changes } = context.get(gyrarchContext)
  return orRefused(async () => {
    if (request.headers.get('content-type')?.startsWith('application/json')) {
      const { set } = await askedJson(request, setBody)
      throw redirect(`/changes/${(await changes.draftSet(set)).id}`)
    }
    const text = await request.text()
    if (text.length > fileLimit)
      throw new Refusal('too-large', 'The file is larger than 1 MiB. A draft is a few KiB.')
    const { kind, intent, title } = readDraftFile(text)
    const record = await changes.draft(kind, intent, title)
    throw redirect(
      record.kind === 'cluster.raise' ? `/raise/${record.id}` : `/changes/${record.id}`,
    )
  })
}

type Row = Awaited<ReturnType<typeof loader>>['changes'][number]

const columns: readonly Column<Row>[] = [
  { name: 'change', value: (row) => row.id, show: (row) => <span className="mono">{row.id}</span> },
  {
    name: 'what',
    value: (row) => row.title,
    show: (row) => (
      <To
        path={
          row.state === 'draft' && row.kind === 'cluster.raise'
            ? `/raise/${row.id}`
            : `/changes/${row.id}`
        }
      >
        {row.title}
      </To>
    ),
  },
  {
    name: 'state',
    value: (row) => row.state,
    show: (row) => (
      <span className="state">
        <StateGlyph state={changeGlyph(row.state)} />
        {row.state}
        {row.waitsFor === null ? '' : ` for ${row.waitsFor}`}
        {row.dueAt === null ? '' : ` for ${clockText(row.dueAt, { seconds: false })}`}
      </span>
    ),
  },
  {
    name: 'kind',
    value: (row) => row.kind,
    show: (row) => <span className="mono">{row.kind}</span>,
  },
  {
    name: 'site',
    value: (row) => row.site,
    show: (row) => <span className="mono">{row.site}</span>,
  },
  {
    name: 'started',
    value: (row) => row.startedAt ?? '',
    show: (row) =>
      row.startedAt === null ? (
        <span className="soft">not yet</span>
      ) : (
        clockText(row.startedAt, { seconds: false })
      ),
  },
]

function DropIn() {
  const fetcher = useFetcher<{ refused?: string }>()
  return (
    <Drop
      what="shared draft"
      accept={{ 'application/json': ['.json'], 'application/yaml': ['.yaml', '.yml'] }}
      maxBytes={fileLimit}
      refused={fetcher.state === 'idle' ? fetcher.data?.refused : null}
      onText={(text) => void fetcher.submit(text, { method: 'post', encType: 'text/plain' })}
    />
  )
}

type TemplateRow = Awaited<ReturnType<typeof loader>>['templates'][number]

function Templates({ templates }: { readonly templates: readonly TemplateRow[] }) {
  const fetcher = useFetcher<{ refused?: string | null }>()
  const address = useAddress()
  if (templates.length === 0) return null
  return (
    <section aria-label="Templates">
      <ul className="templates">
        {templates.map((template) => (
          <li key={template.name}>
            <b className="mono">{template.name}</b>
            <span className="soft">
              {template.says} <span className="nowrap">At {template.site}.</span>
              {template.walks > 0 ? ` Proven by ${countText(template.walks, 'walk')}.` : ''}
            </span>
            <div className="acts">
              <Button
                variant="outlined"
                disabled={fetcher.state !== 'idle'}
                onClick={() =>
                  void fetcher.submit(JSON.stringify({ template: template.name }), {
                    method: 'post',
                    action: address('/do/draft'),
                    encType: 'application/json',
                  })
                }
              >
                Draft from it
              </Button>
            </div>
          </li>
        ))}
      </ul>
      <Refused says={fetcher.data?.refused} />
    </section>
  )
}

function headline(halted: number, drafts: number): string {
  if (halted > 0) return `${halted} halted`
  return drafts > 0 ? countText(drafts, 'draft') : 'Nothing drafted'
}

export default function Drafts({ loaderData }: Route.ComponentProps) {
  const { changes } = loaderData
  const drafts = changes.filter((change) => change.state === 'draft').length
  const halted = changes.filter((change) => change.state === 'halted')
  const [search, setSearch] = useSearchParams()
  const discarded = /^c-\d{1,12}$/.exec(search.get('discarded') ?? '')?.[0] ?? null
  return (
    <Page
      title="Raise"
      beside={
        <>
          <DraftButton>Draft a cluster</DraftButton>{' '}
          <To path="/raise/enrol">Enrol one that exists</To>
        </>
      }
      reason={
        <>
          <h2>{headline(halted.length, drafts)}</h2>
          {halted.map((change) => (
            <p key={change.id}>
              <To path={`/changes/${change.id}`}>{change.title}</To> wants you.
            </p>
          ))}
          <p className="soft">
            A draft is checked and planned against the real state of the fleet while you type.
            Nothing is made before you run it.
          </p>
          <RunAsOne drafts={changes.filter((change) => change.state === 'draft')} />
        </>
      }
    >
      <Templates templates={loaderData.templates} />
      <DropIn />
      <Table
        name="changes"
        columns={columns}
        rows={changes}
        id={(row) => row.id}
        empty="No change has been drafted yet. Draft a cluster to begin: it is checked as you type."
      />
      <Passing
        says={discarded === null ? null : `The draft ${discarded} was discarded.`}
        onGone={() =>
          setSearch(
            (was) => {
              was.delete('discarded')
              return was
            },
            { replace: true },
          )
        }
      />
    </Page>
  )
}
