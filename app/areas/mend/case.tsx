/** A case: its chain from cause to symptom, what was seen and when, what it could be, and what is proven to help. */
import { z } from 'zod'
import { countText, durationText } from '~/core/units'
import type { Gyrarch } from '~/server/gyrarch'
import type { CaseRow } from '~/server/mend/case-row'
import { caseTold, type CaseTold, evidenceOf, type Seen } from '~/server/mend/case-told'
import { gyrarchContext } from '../../context'
import { CauseChain } from '../../drawings/cause-chain'
import { Tracks } from '../../drawings/tracks'
import type { Track } from '../../drawings/tracks-layout'
import { Page } from '../../frame/page'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { StateGlyph } from '../../parts/state'
import { askedJson } from '../asked'
import { orNotFound, orRefused } from '../refusals'
import { CaseReason } from './case-reason'
import { Evidence } from './evidence'
import { NodeInside } from './node-inside'
import type { Route } from './+types/case'
import './mend.css'

export const meta: Route.MetaFunction = ({ params }) => [
  { title: `Case ${params.id} · Mend · Gyrarch` },
]

export async function loader({ params, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const told = await orNotFound(() => caseTold(gyrarch, params.id))
  const row = await orNotFound(() => gyrarch.cases.read(params.id))
  return {
    told,
    before: await momentBefore(gyrarch, told.since),
    seen: await evidenceOf(gyrarch, row),
    look: await lookOf(gyrarch, row),
    now: new Date(gyrarch.outside.now).toISOString(),
  }
}

/** A minute before it began, where the fleet of then is known: what broke before the history begins has no such moment. */
async function momentBefore(gyrarch: Gyrarch, since: string): Promise<string | null> {
  const begins = (await gyrarch.history?.extent())?.begins ?? null
  const at = Date.parse(since) - 60_000
  return begins === null || at < Date.parse(begins) ? null : new Date(at).toISOString()
}

/** The first node that suffers, or that the cause is about, as it is inside. */
async function lookOf(gyrarch: Gyrarch, { cluster, about, troubles }: CaseRow) {
  const ref = [about, ...troubles.map(({ subject }) => subject)].find((each) =>
    each.startsWith('node/'),
  )
  const name = ref?.split('/')[1]
  const look = name === undefined ? null : await gyrarch.observe.nodeLook(cluster, name)
  return name !== undefined && look ? { name, ...look } : null
}

const written = z.object({
  who: z.string().max(200).optional(),
  note: z.string().max(10_000).optional(),
  probe: z.literal(true).optional(),
})

export async function action({ request, params, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  return orRefused(async () => {
    const { who, note, probe } = await askedJson(request, written)
    if (probe === true) {
      await gyrarch.cases.probe(params.id, 'person')
      return { refused: null }
    }
    await gyrarch.cases.write(
      params.id,
      {
        ...(who === undefined ? {} : { who }),
        ...(note === undefined || note.trim() === '' ? {} : { note: note.trim() }),
      },
      'person',
    )
    return { refused: null }
  })
}

const nameOf = (ref: string): string => ref.split('/').at(-1) ?? ref

/** One track for each source, the changes on top. */
function tracksOf(told: CaseTold, seen: readonly Seen[]): readonly Track[] {
  const sources = new Map<string, { at: string; says: string; isCause: boolean }[]>()
  for (const { at, from, kind, says, isCause } of seen) {
    // Lines that say nothing of it are in the evidence below.
    if (at === null || (kind === 'log' && !isCause)) continue
    const name = `${nameOf(from)}${kind === 'log' ? ' log' : ''}`
    const marks = sources.get(name) ?? []
    marks.push({ at, says, isCause })
    sources.set(name, marks)
  }
  const rest = [...sources]
    .map(([name, marks]) => ({ name, marks }))
    .toSorted((a, b) => Number(hasCause(b.marks)) - Number(hasCause(a.marks)))
    .slice(0, 6)
  return [
    {
      name: 'changes',
      marks: told.before.map(({ at, id, label }) => ({
        at,
        says: `${id} ${label}`,
        isCause: false,
      })),
    },
    ...rest,
  ]
}

const hasCause = (marks: readonly { readonly isCause: boolean }[]): boolean =>
  marks.some(({ isCause }) => isCause)

function CouldBe({ told }: { readonly told: CaseTold }) {
  return (
    <PlainTable
      label="What it could be"
      className="could-be"
      heads={['could be', 'about', 'explains', { key: 'part', says: '', number: true }]}
    >
      {told.causes.slice(0, 12).map((cause, index) => (
        <Row key={`${cause.cause} ${cause.about}`}>
          <Cell>
            <StateGlyph state={index === 0 ? 'broken' : 'strained'} />{' '}
            <b className="mono">{cause.cause}</b> {cause.means === '' ? cause.says : cause.means}
          </Cell>
          <Cell className="mono">{nameOf(cause.about)}</Cell>
          <Cell className="share">
            <span className="share-bar">
              <span style={{ width: `${Math.round(cause.share * 100)}%` }} />
            </span>
          </Cell>
          <Cell className="number">
            {Math.round(cause.share * 100)} % · {countText(cause.because.length, 'fact')}
          </Cell>
        </Row>
      ))}
      {told.ruledOut.map(({ cause, says }) => (
        <Row key={`${cause} ${says}`}>
          <Cell className="soft">
            × <span className="mono">{cause}</span>
          </Cell>
          <Cell className="soft">ruled out</Cell>
          <Cell className="soft" colSpan={2}>
            {says}
          </Cell>
        </Row>
      ))}
    </PlainTable>
  )
}

export default function Case({ loaderData }: Route.ComponentProps) {
  const { told, before, seen, look, now } = loaderData
  const [first] = told.causes
  const until = told.closedAt ?? now
  const lasted = (Date.parse(until) - Date.parse(told.since)) / 1000
  const short = told.symptom === '' ? told.about : told.symptom
  return (
    <Page
      title={short.length > 70 ? `${short.slice(0, 68)}…` : short}
      beside={
        <span className="soft nowrap">
          {told.state === 'open' ? 'for' : 'lasted'} {durationText(Math.max(0, lasted))} ·{' '}
          {countText(told.troubles.length, 'symptom')}
        </span>
      }
      reason={<CaseReason told={told} before={before} />}
    >
      <div className="mend-page">
        {first ? (
          <>
            <p className="soft">From cause to symptom</p>
            <CauseChain links={first.chain} />
          </>
        ) : (
          <p>Nothing that was seen names a cause: {told.next?.says ?? 'look at its evidence.'}</p>
        )}
        <p className="soft">What was seen, and what changed before</p>
        <Tracks tracks={tracksOf(told, seen)} since={told.since} until={until} />
        <CouldBe told={told} />
        {told.troubles.length < 2 ? null : (
          <>
            <h2>All that suffers from it</h2>
            <ul className="facts">
              {told.troubles.slice(0, 50).map(({ subject, symptom }) => (
                <li key={subject}>
                  <span className="mono">{nameOf(subject)}</span>
                  <span className="source">{symptom}</span>
                </li>
              ))}
            </ul>
          </>
        )}
        {look === null ? null : <NodeInside look={look} now={now} />}
        <Evidence id={told.id} seen={seen} isOpen={told.state === 'open'} />
      </div>
    </Page>
  )
}
