/** Two drafts field by field, with what stands against each, how long each takes and what it costs. */
import { useNavigate } from 'react-router'
import { countText, durationText } from '~/core/units'
import type { ChangeRecord } from '~/server/changes/changes'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { spendText } from '../../parts/plan'
import { standingText } from '../../parts/findings'
import { To, useAddress } from '../../parts/to'
import { orNotFound } from '../refusals'
import type { Route } from './+types/compare'
import './sheet.css'
import { Choice } from '../../kit/choice'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { Empty } from '../../kit/empty'

export const meta: Route.MetaFunction = () => [{ title: 'Compare drafts · Gyrarch' }]

/** Every leaf of a document by its path. */
export function leaves(value: unknown, path = ''): ReadonlyMap<string, string> {
  const results = new Map<string, string>()
  const visit = (at: unknown, where: string): void => {
    if (Array.isArray(at)) at.forEach((item, i) => visit(item, `${where}[${i}]`))
    else if (typeof at === 'object' && at !== null)
      for (const [key, item] of Object.entries(at))
        visit(item, where === '' ? key : `${where}.${key}`)
    else results.set(where, String(at))
  }
  visit(value, path)
  return results
}

export async function loader({ request, context }: Route.LoaderArgs) {
  const { changes } = context.get(gyrarchContext)
  const search = new URL(request.url).searchParams
  const pick = async (id: string | null): Promise<ChangeRecord | null> =>
    id === null || id === '' ? null : orNotFound(() => changes.get(id))
  const all = (await changes.list()).map((row) => ({
    id: `c-${row.number}`,
    name: `c-${row.number} ${row.title ?? row.label}`,
  }))
  return { a: await pick(search.get('a')), b: await pick(search.get('b')), all }
}

function rowsOf(a: ChangeRecord | null, b: ChangeRecord | null) {
  const left = leaves(a?.intent ?? {})
  const right = leaves(b?.intent ?? {})
  return [...new Set([...left.keys(), ...right.keys()])].map((path) => ({
    path,
    a: left.get(path) ?? '',
    b: right.get(path) ?? '',
    differs: left.get(path) !== right.get(path),
  }))
}

const outcome = (record: ChangeRecord | null): readonly (readonly [string, string])[] => [
  ['findings', record ? standingText(record.findings) : ''],
  [
    'duration',
    record?.plan
      ? `likely ${durationText(record.plan.seconds.likely)}, worst ${durationText(record.plan.seconds.worst)}`
      : '',
  ],
  ['spend', record?.plan ? spendText(record.plan.spend) : ''],
]

/** What stands against a draft, and the way to it. */
function Drafted({ record }: { readonly record: ChangeRecord }) {
  const page = record.state === 'draft' ? 'raise' : 'changes'
  return (
    <div>
      <h3>{record.title ?? record.label}</h3>
      <ul className="because soft">
        {record.findings.map((finding) => (
          <li key={finding.key}>
            {finding.level}: {finding.says}
          </li>
        ))}
      </ul>
      <To path={`/${page}/${record.id}`}>Open {record.id}</To>
    </div>
  )
}

function headline(isChosen: boolean, differing: number): string {
  if (!isChosen) return 'Choose two'
  return differing === 0
    ? 'They are the same'
    : countText(differing, 'field differs', 'fields differ')
}

export default function Compare({ loaderData }: Route.ComponentProps) {
  const { a, b, all } = loaderData
  const navigate = useNavigate()
  const address = useAddress()
  const pick = (side: 'a' | 'b', id: string): void =>
    void navigate(address('/raise/compare', { a: a?.id ?? null, b: b?.id ?? null, [side]: id }))
  const rows = a && b ? rowsOf(a, b) : []
  const differing = rows.filter((row) => row.differs)
  const chooser = (side: 'a' | 'b', value: string) => (
    <Choice
      label={side === 'a' ? 'First draft' : 'Second draft'}
      hideLabel
      value={value}
      empty="choose a draft"
      options={all.map((entry) => ({ value: entry.id, says: entry.name }))}
      onChange={(id) => pick(side, id)}
      width={260}
    />
  )
  return (
    <Page
      title="Compare"
      reason={
        <>
          <h2>{headline(a !== null && b !== null, differing.length)}</h2>
          <p className="soft">
            Findings, duration and spend are computed for both against the fleet as it is now.
          </p>
          {[a, b].map((record) => (record ? <Drafted key={record.id} record={record} /> : null))}
        </>
      }
    >
      <div className="scroll" tabIndex={0} role="region" aria-label="Comparison">
        <PlainTable
          label="Drafts field by field"
          className="compare"
          heads={[
            'field',
            { key: 'a', says: chooser('a', a?.id ?? '') },
            { key: 'b', says: chooser('b', b?.id ?? '') },
          ]}
        >
          {a && b
            ? outcome(a).map(([name, left], i) => (
                <Row key={name}>
                  <Cell component="th" scope="row">
                    {name}
                  </Cell>
                  <Cell>{left}</Cell>
                  <Cell>{outcome(b)[i]?.[1]}</Cell>
                </Row>
              ))
            : null}
          {[...differing, ...rows.filter((row) => !row.differs)].map((row) => (
            <Row key={row.path} data-differs={row.differs}>
              <Cell className="mono">{row.path}</Cell>
              <Cell className="mono">{row.a || <span className="soft">not given</span>}</Cell>
              <Cell className="mono">{row.b || <span className="soft">not given</span>}</Cell>
            </Row>
          ))}
        </PlainTable>
        {a && b ? null : (
          <Empty title="Two drafts, field by field" first={<To path="/raise">To the drafts</To>}>
            Choose two drafts in the heads above: what differs comes first, with what stands against
            each, how long each takes and what it costs.
          </Empty>
        )}
      </div>
    </Page>
  )
}
