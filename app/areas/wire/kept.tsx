/** Ends that are expected to reach each other, or not to. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import { useFetcher, useNavigate } from 'react-router'
import { CaseButton } from '../../parts/case-button'
import { StateGlyph } from '../../parts/state'
import { useAddress } from '../../parts/to'
import './wire.css'
import type { Route } from './+types/walk'
import { Field } from '../../kit/field'
import { Refused } from '../../kit/notice'
import { Cell, PlainTable, Row } from '../../kit/plain-table'

type Data = Route.ComponentProps['loaderData']

function endText(end: Readonly<Record<string, string>>): string {
  return end['pod'] ?? end['service'] ?? end['node'] ?? end['address'] ?? end['name'] ?? ''
}

/** What is kept names the workload where one was typed: its pods come and go. */
export function keptQuery(
  query: NonNullable<Data['query']>,
  from: string,
  to: string,
): NonNullable<Data['query']> {
  const own = <End extends object>(end: End, typed: string): End => {
    const bare = typed.replace(/^[a-z][-a-z0-9]*:/, '')
    return 'pod' in end ? { ...end, pod: bare } : end
  }
  return { ...query, from: own(query.from, from), to: own(query.to, to) }
}

export function Keep({
  query,
  delivered,
}: {
  readonly query: NonNullable<Data['query']>
  readonly delivered: boolean
}) {
  const fetcher = useFetcher<{ refused: string | null }>()
  const [name, setName] = useState('')
  return (
    <section aria-label="Keep it">
      <h3>Keep it as an expectation</h3>
      <p className="soft">Walked again after every change, and shown in its proof.</p>
      <div className="wire-form">
        <Field
          label="Name of the expectation"
          placeholder={delivered ? 'the desk reaches the ledger' : 'the broker does not'}
          value={name}
          onChange={setName}
          width="100%"
        />
        <div className="acts">
          {[true, false].map((wanted) => (
            <Button
              key={String(wanted)}
              variant={wanted === delivered ? 'contained' : 'outlined'}
              disabled={name.trim() === '' || fetcher.state !== 'idle'}
              onClick={() =>
                void fetcher.submit(
                  JSON.stringify({ keep: { name, ...query, delivered: wanted } }),
                  { method: 'post', encType: 'application/json' },
                )
              }
            >
              {wanted ? 'Is to arrive' : 'Is not to arrive'}
            </Button>
          ))}
        </div>
        <Refused says={fetcher.data?.refused} />
      </div>
    </section>
  )
}

/** Where the packet of a kept walk ends now, and whether that is as expected. */
function Now({ row }: { readonly row: Data['kept'][number] }) {
  const { now, delivered } = row
  if (now === null)
    return (
      <>
        <StateGlyph state="unknown" /> not known
      </>
    )
  return (
    <>
      <StateGlyph state={now.holds ? 'well' : 'broken'} />{' '}
      {now.holds === delivered ? 'delivered' : 'dropped'} <span className="soft">{now.says}</span>
    </>
  )
}

export function Kept({ rows }: { readonly rows: Data['kept'] }) {
  const fetcher = useFetcher<{ refused: string | null }>()
  const navigate = useNavigate()
  const address = useAddress()
  if (rows.length === 0)
    return (
      <p className="soft">
        No walk is kept as an expectation yet. Walk one and keep it beside the answer.
      </p>
    )
  return (
    <PlainTable label="Kept walks" heads={['kept walk', 'from', 'to', 'expected', 'now', '']}>
      {rows.map((row) => (
        <Row key={row.name}>
          <Cell>{row.name}</Cell>
          <Cell className="mono">{endText(row.from)}</Cell>
          <Cell className="mono">
            {endText(row.to)}:{row.port}
          </Cell>
          <Cell>{row.delivered ? 'delivered' : 'dropped'}</Cell>
          <Cell className="wraps">
            <Now row={row} />
          </Cell>
          <Cell>
            <span className="acts">
              {row.now?.holds === false || row.case !== null ? (
                <CaseButton
                  id={row.case}
                  subject={{ cluster: '', about: `expectation/${row.name}` }}
                  variant="text"
                />
              ) : null}
              <Button
                variant="text"
                onClick={() =>
                  void navigate(
                    address('/wire/walk', {
                      aim: row.from['cluster'] ? `cluster/${row.from['cluster']}` : null,
                      from: endText(row.from),
                      to: endText(row.to),
                      port: String(row.port),
                      protocol: row.protocol,
                    }),
                  )
                }
              >
                Walk
              </Button>
              <Button
                variant="text"
                onClick={() =>
                  void fetcher.submit(JSON.stringify({ remove: row.name }), {
                    method: 'post',
                    encType: 'application/json',
                  })
                }
              >
                Remove
              </Button>
            </span>
          </Cell>
        </Row>
      ))}
    </PlainTable>
  )
}
