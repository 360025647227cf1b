/** A case as it is told: what is known, what changed before, who would notice, what can be done. */
import { Op } from 'sequelize'
import { meaningOf } from '~/core/diagnosis'
import { podsOfWorkload } from '~/core/objects'
import type { Gyrarch } from '../gyrarch'
import { ChangeRow } from '../records/models'
import { changeId } from '../runner/journal'
import type { CaseRow } from './case-row'
import { caseId } from './case-records'
import { eventObjects, logsOf } from './gathered'
import { isRun } from './run-troubles'
import { type Noticing, whoNotices } from './who-notices'

/** How far before a case began changes count as before it (ms), and how many are told. */
const beforeMs = 6 * 3_600_000
const mostBefore = 8

export interface ChangeBefore {
  readonly id: string
  readonly kind: string
  readonly label: string
  /** ISO. */
  readonly at: string
  /** Whether it touched what the case is about. */
  readonly isNear: boolean
}

/** A line of what was seen, of any source, on one time axis. */
export interface Seen {
  /** ISO; null where the line does not say. */
  readonly at: string | null
  readonly from: string
  readonly kind: 'event' | 'log' | 'condition'
  readonly says: string
  readonly isCause: boolean
}

export const caseSummary = (row: CaseRow) => {
  const [first] = row.troubles
  return {
    id: caseId(row.number),
    state: row.state,
    cluster: row.cluster,
    symptom: first?.diagnosis.symptom ?? '',
    cause: row.cause,
    says: first?.diagnosis.causes[0]?.says ?? '',
    about: row.about,
    subjects: row.troubles.map(({ subject }) => subject),
    since: row.since,
    openedAt: row.openedAt,
    openedBy: row.openedBy,
    closedAt: row.closedAt,
    closedBy: row.closedBy,
    who: row.who,
  }
}

/** Changes that ended before a case began, the likeliest first: those that touched what it is about, the latest first. */
async function changesBefore(gyrarch: Gyrarch, row: CaseRow): Promise<readonly ChangeBefore[]> {
  const began = Date.parse(row.since)
  const view = await gyrarch.fleet.view()
  const site = view.clusters.find(({ name }) => name === row.cluster)?.site ?? ''
  const rows = await ChangeRow.findAll({
    where: {
      startedAt: {
        [Op.gte]: new Date(began - beforeMs).toISOString(),
        [Op.lte]: new Date(began + 60_000).toISOString(),
      },
    },
    order: [['startedAt', 'DESC']],
    limit: 100,
    attributes: { exclude: ['plan', 'findings', 'proof'] },
  })
  return rows
    .map(({ number, kind, label, startedAt, intent }): ChangeBefore => {
      const told = JSON.stringify(intent)
      return {
        id: changeId(number),
        kind,
        label,
        at: startedAt ?? row.since,
        isNear: told.includes(`"${row.cluster}"`) || told.includes(`"${site}"`),
      }
    })
    .toSorted((a, b) => Number(b.isNear) - Number(a.isNear))
    .slice(0, mostBefore)
}

/** Everything that was seen of a case’s subjects: events and lines of logs, in the order of their times. */
export async function evidenceOf(gyrarch: Gyrarch, row: CaseRow): Promise<readonly Seen[]> {
  const view = await gyrarch.fleet.view()
  const cluster = view.clusters.find(({ name }) => name === row.cluster)
  const ownFacts = factsOf(row)
  if (!cluster) return ownFacts
  const objects = (await gyrarch.fleet.objectsOf(row.cluster)) ?? []
  const events = (await gyrarch.fleet.eventsOf(row.cluster)) ?? []
  const logs = await logsOf(gyrarch.observe, cluster, objects)
  const causes = row.troubles.flatMap(({ diagnosis }) => diagnosis.causes.slice(0, 3))
  const because = new Set(causes.flatMap((cause) => cause.because.map(({ text }) => text)))
  const about = new Set([
    ...row.troubles.map(({ subject }) => subject),
    ...causes.flatMap(({ chain }) => chain.map((link) => link.about)),
  ])
  // Of a workload its pods too.
  for (const ref of [...about]) {
    const [kind = '', namespace = '', name = ''] = ref.split('/')
    if (name === '' || kind === 'pod') continue
    for (const { metadata } of podsOfWorkload(objects, `${namespace}/${name}`))
      about.add(`pod/${metadata?.namespace ?? 'default'}/${metadata?.name ?? ''}`)
  }
  // What is gone by now has no owner any more: it is told by its name.
  const there = new Set(
    objects.map(
      ({ kind, metadata }) =>
        `${kind.toLowerCase()}/${metadata?.namespace ?? 'default'}/${metadata?.name ?? ''}`,
    ),
  )
  const begins = [...about].flatMap((ref) => {
    const [kind = '', namespace = '', name = ''] = ref.split('/')
    return name === '' || kind === 'pod' ? [] : [`pod/${namespace}/${name}-`]
  })
  const isAbout = (from: string): boolean =>
    about.has(from) || (!there.has(from) && begins.some((begin) => from.startsWith(begin)))
  const timed = new Map(
    causes.flatMap(({ because: facts }) =>
      facts.map(({ about: of, text, at }) => [`${of} ${text}`, at] as const),
    ),
  )
  const told = eventObjects(events).map((_, index) => events[index])
  return [
    ...ownFacts,
    ...told.flatMap((event): readonly Seen[] =>
      event && isAbout(event.about)
        ? [
            {
              at: event.at,
              from: event.about,
              kind: 'event',
              says: `${event.reason}: ${event.message}`,
              isCause: because.has(event.message),
            },
          ]
        : [],
    ),
    ...logs
      .filter(({ from }) => isAbout(from))
      .flatMap(({ from, lines }) =>
        lines.map((line): Seen => ({
          at: timed.get(`${from} ${line}`) ?? lineTimeIn(line, view.now),
          from,
          kind: 'log',
          says: line,
          isCause: because.has(line),
        })),
      ),
  ].toSorted((a, b) => (a.at ?? '').localeCompare(b.at ?? ''))
}

/** What speaks for its causes and is neither an event nor a line of a log of the cluster: steps of a run, states, walks. */
const factsOf = (row: CaseRow): readonly Seen[] =>
  row.troubles.flatMap(({ subject, diagnosis }) =>
    diagnosis.causes.slice(0, 1).flatMap(({ because }) =>
      because
        .filter(({ type }) => isRun(subject) || (type !== 'event' && type !== 'log'))
        .map(({ at, about, text: says }): Seen => ({
          at,
          from: about,
          kind: 'condition',
          says,
          // Of a run only the step that failed, not what it did before.
          isCause: !isRun(subject) || about === subject,
        })),
    ),
  )

/** When a line was written: as it says itself, in one of the ways that services write it. */
function lineTimeIn(line: string, now: string): string | null {
  const iso = /\d{4}-\d{2}-\d{2}T\d{2}:\d{2}:\d{2}(?:\.\d+)?Z/.exec(line.slice(0, 80))?.[0]
  if (iso !== undefined) return iso
  const agent = /^[IWEF](\d{2})(\d{2}) (\d{2}:\d{2}:\d{2})/.exec(line)
  if (agent) return `${now.slice(0, 4)}-${agent[1]}-${agent[2]}T${agent[3]}Z`
  const clock = /^(\d{2}:\d{2}:\d{2}) /.exec(line)?.[1]
  return clock === undefined ? null : `${now.slice(0, 10)}T${clock}Z`
}

/** What suffers, as objects of the cluster: of a run what it stands still at. */
const subjectsOf = (row: CaseRow): readonly string[] =>
  row.troubles.flatMap(({ cluster, subject, diagnosis }) =>
    isRun(subject)
      ? (diagnosis.causes[0]?.chain ?? []).flatMap(({ about }) => {
          const [kind = '', of = '', ...rest] = about.split('/')
          return of === cluster && (kind === 'pod' || kind === 'node')
            ? [[kind, ...rest].join('/')]
            : []
        })
      : [subject],
  )

export async function caseTold(gyrarch: Gyrarch, id: string) {
  const row = await gyrarch.cases.read(id)
  const [first] = row.troubles
  const objects = (await gyrarch.fleet.objectsOf(row.cluster).catch(() => null)) ?? []
  const view = await gyrarch.fleet.view()
  const traffic = await gyrarch.fleet.trafficOf(row.cluster).catch(() => [])
  const notices: readonly Noticing[] = whoNotices(
    view,
    row.cluster,
    subjectsOf(row),
    objects,
    traffic,
  )
  return {
    ...caseSummary(row),
    troubles: row.troubles.map(({ subject, since, diagnosis }) => ({
      subject,
      since,
      symptom: diagnosis.symptom,
    })),
    causes: (first?.diagnosis.causes ?? []).map(
      ({ cause, about, share, says, chain, because }) => ({
        cause,
        means: meaningOf(cause),
        about,
        share,
        says,
        chain,
        because,
      }),
    ),
    ruledOut: first?.diagnosis.ruledOut ?? [],
    next: first?.diagnosis.next ?? null,
    remedies: row.state === 'open' ? (first?.remedies ?? []) : [],
    before: await changesBefore(gyrarch, row),
    notices,
    notes: row.notes,
  }
}

export type CaseTold = Awaited<ReturnType<typeof caseTold>>

/** A case as Markdown, for whoever is handed it. */
export function caseMarkdown(told: CaseTold): string {
  const [first] = told.causes
  const list = (lines: readonly string[], none: string): string =>
    lines.length === 0 ? none : lines.map((line) => `- ${line}`).join('\n')
  const code = (text: string): string => `\`${text.replaceAll('`', "'")}\``
  return `# ${told.symptom}

Case ${told.id} in ${told.cluster}, ${told.state}, since ${told.since}${told.who === '' ? '' : `, with ${told.who}`}.
${told.closedBy === null ? '' : `\nClosed ${told.closedAt ?? ''}: ${told.closedBy}\n`}
## Cause

${first ? `${first.says} (${first.cause}, explains ${Math.round(first.share * 100)} %)` : 'Not known.'}

${list(
  (first?.chain ?? []).map((link) => `${code(link.about)} ${link.says}`),
  '',
)}

## What speaks for it

${list(
  (first?.because ?? [])
    .slice(0, 20)
    .map((fact) => `${fact.at ?? ''} ${code(fact.about)} ${fact.text}`),
  'Nothing.',
)}

## Other causes looked at

${list(
  [
    ...told.causes.slice(1).map(({ says, share }) => `${says} (${Math.round(share * 100)} %)`),
    ...told.ruledOut.map(({ cause, says }) => `ruled out: ${cause}. ${says}`),
  ],
  'None.',
)}

## Who would notice

${list(
  told.notices.map(({ who, says }) => `${code(who)} ${says}`),
  'Nobody that is known.',
)}

## What changed before

${list(
  told.before.map(({ id, label, at }) => `${at} ${id} ${label}`),
  'Nothing in the six hours before.',
)}

## What can be done

${list(
  told.remedies.map(({ says, because }) => `${says}: ${because}`),
  'Nothing is proven.',
)}

## Notes

${list(
  told.notes.map(({ at, by, says }) => `${at} ${by}: ${says}`),
  'None.',
)}
`
}
