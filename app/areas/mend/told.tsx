/** Who is told of cases and runs, what was sent and what came of it, and a test at the press of a button. */
import Button from '@mui/material/Button'
import { useEffect } from 'react'
import { useFetcher } from 'react-router'
import { z } from 'zod'
import { countText } from '~/core/units'
import { noticeKinds, receiverSchema } from '~/server/mend/outgoing/kinds'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Empty } from '../../kit/empty'
import { SchemaForm, SeveralAt, TextAt, useSchemaForm } from '../../kit/form'
import { Refused } from '../../kit/notice'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { StateGlyph } from '../../parts/state'
import { clockText } from '../../parts/when'
import { askedJson } from '../asked'
import { orRefused } from '../refusals'
import type { Route } from './+types/told'
import { MendTabs } from './tabs'
import './mend.css'

export const meta: Route.MetaFunction = () => [{ title: 'Told · Mend · Gyrarch' }]

export async function loader({ context }: Route.LoaderArgs) {
  const { outgoing } = context.get(gyrarchContext)
  const deliveries = await outgoing.deliveries(60)
  return {
    receivers: (await outgoing.receivers()).map(({ name, url, kinds }) => ({ name, url, kinds })),
    deliveries: deliveries.map(({ id, receiver, kind, state, attempts, madeAt, says }) => ({
      id,
      receiver,
      kind,
      state,
      attempts,
      madeAt,
      says,
    })),
  }
}

const asked = z.union([
  z.strictObject({ keep: receiverSchema }),
  z.strictObject({ test: z.string().max(80) }),
  z.strictObject({ remove: z.string().max(80) }),
  z.strictObject({ again: z.number().int().positive() }),
])
type Asked = z.input<typeof asked>

export async function action({ request, context }: Route.ActionArgs) {
  const { outgoing } = context.get(gyrarchContext)
  return orRefused(async () => {
    const act = await askedJson(request, asked)
    if ('keep' in act) await outgoing.keep(act.keep)
    else if ('test' in act) await outgoing.test(act.test)
    else if ('remove' in act) await outgoing.remove(act.remove)
    else await outgoing.again(act.again)
    return { refused: null }
  })
}

function useAct() {
  const fetcher = useFetcher<{ refused: string | null }>()
  return {
    act: (body: Asked) =>
      void fetcher.submit(JSON.stringify(body), { method: 'post', encType: 'application/json' }),
    isBusy: fetcher.state !== 'idle',
    refused: fetcher.data?.refused ?? null,
    /** The answer to what was done last, another each time; nothing where it was refused. */
    done: fetcher.data?.refused === null ? fetcher.data : undefined,
  }
}

const glyphs = { delivered: 'well', waiting: 'working', 'given-up': 'broken' } as const
const words = { delivered: 'taken', waiting: 'tried again', 'given-up': 'given up' } as const

function Receivers({ rows }: { readonly rows: Route.ComponentProps['loaderData']['receivers'] }) {
  const { act, isBusy, refused } = useAct()
  if (rows.length === 0)
    return (
      <Empty title="Nobody is told yet">
        Name who is told below. To try it without anything of your own, send to
        https://desk.fernhollow.example/notices: it takes everything.
      </Empty>
    )
  return (
    <>
      <PlainTable label="Who is told" heads={['who', 'where', 'of what', '']}>
        {rows.map(({ name, url, kinds }) => (
          <Row key={name}>
            <Cell>{name}</Cell>
            <Cell className="mono wraps">{url}</Cell>
            <Cell className="mono wraps">{kinds.join(', ')}</Cell>
            <Cell>
              <span className="acts">
                <Button variant="text" disabled={isBusy} onClick={() => act({ test: name })}>
                  Send a test
                </Button>
                <Button variant="text" disabled={isBusy} onClick={() => act({ remove: name })}>
                  Remove
                </Button>
              </span>
            </Cell>
          </Row>
        ))}
      </PlainTable>
      <Refused says={refused} />
    </>
  )
}

function Sent({ rows }: { readonly rows: Route.ComponentProps['loaderData']['deliveries'] }) {
  const { act, isBusy, refused } = useAct()
  if (rows.length === 0) return <p className="soft">Nothing was sent yet.</p>
  return (
    <>
      <PlainTable label="What was sent" heads={['sent', 'to', 'of', 'what came of it', '']}>
        {rows.map(({ id, receiver, kind, state, attempts, madeAt, says }) => (
          <Row key={id}>
            <Cell className="nowrap">{clockText(madeAt)}</Cell>
            <Cell>{receiver}</Cell>
            <Cell className="mono">{kind}</Cell>
            <Cell className="wraps">
              <StateGlyph state={glyphs[state]} title={words[state]} /> {says ?? 'not sent yet'}
              {attempts > 1 ? `, ${countText(attempts, 'attempt')}` : ''}
            </Cell>
            <Cell>
              {state === 'delivered' ? null : (
                <Button variant="text" disabled={isBusy} onClick={() => act({ again: id })}>
                  Send again
                </Button>
              )}
            </Cell>
          </Row>
        ))}
      </PlainTable>
      <Refused says={refused} />
    </>
  )
}

const writing = receiverSchema.required({ secret: true })

/** Told at first: what somebody on duty has to know. */
const usual: z.infer<typeof writing>['kinds'] = ['case.opened', 'case.closed', 'run.halted']

function Make() {
  const { act, isBusy, refused, done } = useAct()
  const form = useSchemaForm(writing, {
    name: '',
    url: '',
    secret: '',
    kinds: usual,
  })
  const { reset } = form
  // What is refused stays as it was typed.
  useEffect(() => {
    if (done) reset()
  }, [done, reset])
  return (
    <section aria-label="Tell somebody">
      <h2>Tell somebody</h2>
      <SchemaForm label="Tell somebody" form={form} onSubmit={(keep) => act({ keep })}>
        <div className="told-form">
          <TextAt path="name" label="Name" width="100%" maxLength={80} />
          <TextAt
            path="url"
            label="Where to send"
            placeholder="https://desk.fernhollow.example/notices"
            width="100%"
            maxLength={500}
            mono
          />
          <TextAt
            path="secret"
            label="Secret"
            help="Bodies are signed with it, so that whoever is told knows they are ours."
            width="100%"
            maxLength={500}
            mono
          />
          <SeveralAt path="kinds" label="Of what" options={noticeKinds} width="100%" />
        </div>
        <Button type="submit" variant="outlined" disabled={isBusy}>
          Tell them
        </Button>
      </SchemaForm>
      <Refused says={refused} />
    </section>
  )
}

const waiting = (rows: Route.ComponentProps['loaderData']['deliveries']): number =>
  rows.filter(({ state }) => state !== 'delivered').length

function Reason({ receivers, deliveries }: Route.ComponentProps['loaderData']) {
  const open = waiting(deliveries)
  return (
    <>
      <h2>
        <StateGlyph state={open === 0 ? 'well' : 'strained'} />{' '}
        {open === 0
          ? `${countText(receivers.length, 'receiver')}, nothing waits`
          : `${countText(open, 'notice is', 'notices are')} not taken`}
      </h2>
      <p className="soft">
        A POST of JSON for each. Its signature is the HMAC-SHA-256 of time, full stop and body. What
        is not taken is sent again up to five times over two and a half hours.
      </p>
      <p>
        <a href="/api/v1/cases.atom">Cases as a feed</a>
      </p>
    </>
  )
}

export default function Told({ loaderData }: Route.ComponentProps) {
  return (
    <Page title="Told" beside={<MendTabs here="/mend/told" />} reason={<Reason {...loaderData} />}>
      <div className="mend-page">
        <Receivers rows={loaderData.receivers} />
        <Make />
        <h2>What was sent</h2>
        <Sent rows={loaderData.deliveries} />
      </div>
    </Page>
  )
}
