/** A drill as it was done, moment by moment: one’s own, or one that somebody handed on as JSON. */
import Button from '@mui/material/Button'
import { useEffect, useState } from 'react'
import { useFetcher } from 'react-router'
import { durationText } from '~/core/units'
import { runThroughOf, type RunThrough, runThroughSchema } from '~/server/mend/run-through'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Drop } from '../../kit/drop'
import { Empty } from '../../kit/empty'
import { To } from '../../parts/to'
import { StateGlyph } from '../../parts/state'
import { clockText } from '../../parts/when'
import { askedJson } from '../asked'
import { orNotFound, orRefused } from '../refusals'
import type { Route } from './+types/replay'
import { MendTabs } from './tabs'
import './mend.css'

export const meta: Route.MetaFunction = () => [{ title: 'Replay · Mend · Gyrarch' }]

export async function loader({ params, context }: Route.LoaderArgs) {
  const { drills } = context.get(gyrarchContext)
  const { number } = params
  return {
    number: number ?? null,
    ended: await drills.ended(),
    told: number === undefined ? null : await orNotFound(() => runThroughOf(number)),
  }
}

/** Reads what somebody handed on. */
export async function action({ request }: Route.ActionArgs) {
  return orRefused(async () => ({
    refused: null,
    told: await askedJson(request, runThroughSchema),
  }))
}

const words: Readonly<Record<RunThrough['moments'][number]['what'], string>> = {
  began: 'begins',
  case: 'case',
  look: 'looked',
  hint: 'hint',
  named: 'named',
  run: 'run',
  ended: 'ends',
}

/** Milliseconds that a moment stands while it plays. */
const stepMs = 1200

function Moments({ told, isOwn }: { readonly told: RunThrough; readonly isOwn: boolean }) {
  const [at, setAt] = useState(0)
  const [plays, setPlays] = useState(false)
  const last = told.moments.length - 1
  const isPlaying = plays && at < last
  useEffect(() => {
    if (!isPlaying) return
    const timer = setTimeout(() => setAt((was) => Math.min(last, was + 1)), stepMs)
    return () => clearTimeout(timer)
  }, [isPlaying, at, last])
  const began = Date.parse(told.startedAt)
  return (
    <>
      <div className="acts">
        <Button variant="outlined" disabled={at === 0} onClick={() => setAt(at - 1)}>
          Back
        </Button>
        <Button
          variant="contained"
          onClick={() => {
            if (at === last) setAt(0)
            setPlays(!isPlaying)
          }}
        >
          {isPlaying ? 'Hold' : 'Play'}
        </Button>
        <Button variant="outlined" disabled={at === last} onClick={() => setAt(at + 1)}>
          On
        </Button>
      </div>
      <ol className="seen replay" aria-label="Moments" tabIndex={0}>
        {told.moments.map(({ seconds, what, says }, index) => (
          <li
            key={`${seconds} ${index}`}
            aria-current={index === at ? 'step' : undefined}
            className={index > at ? 'ahead' : ''}
          >
            <span>{seconds === 0 ? 'start' : `+${durationText(seconds)}`}</span>
            <span className="from">
              {isOwn ? (
                <To path="/fleet" query={{ at: new Date(began + seconds * 1000).toISOString() }}>
                  {words[what]}
                </To>
              ) : (
                words[what]
              )}
            </span>
            <span className="says">{index > at ? '' : says}</span>
          </li>
        ))}
      </ol>
    </>
  )
}

function Told({ told, number }: { readonly told: RunThrough; readonly number: string | null }) {
  return (
    <>
      <div>
        <div className="about">
          <span className="mono">{told.drill}</span>
          <span>{clockText(told.startedAt)}</span>
        </div>
        <h2>
          <StateGlyph state={told.state === 'mended' ? 'well' : 'unknown'} /> {told.title}
        </h2>
        <p>{told.story}</p>
        <p>
          {told.state === 'mended' ? 'Mended' : 'Given up'}, {told.score} of 100
        </p>
      </div>
      {number === null ? null : (
        <p>
          <a
            href={`/api/v1/drills/run-throughs/${number}`}
            download={`run-through-${told.drill}.json`}
          >
            Hand it on as JSON
          </a>
        </p>
      )}
    </>
  )
}

export default function Replay({ loaderData }: Route.ComponentProps) {
  const fetcher = useFetcher<typeof action>()
  const handed = fetcher.data && 'told' in fetcher.data ? fetcher.data.told : null
  const told = handed ?? loaderData.told
  const refused = fetcher.data && 'refused' in fetcher.data ? fetcher.data.refused : null
  return (
    <Page
      title="Replay"
      beside={<MendTabs here="/mend/practice" />}
      reason={told ? <Told told={told} number={handed ? null : loaderData.number} /> : null}
    >
      <div className="mend-page">
        {told ? (
          <Moments
            key={`${told.drill} ${told.startedAt}`}
            told={told}
            isOwn={handed === null && loaderData.told !== null}
          />
        ) : (
          <Empty title="Nothing to replay yet">
            Drop a run-through here that somebody handed on, or end a drill of your own.
          </Empty>
        )}
        <h2>One that was handed on</h2>
        <Drop
          what="run-through"
          accept={{ 'application/json': ['.json'] }}
          maxBytes={2 * 1024 * 1024}
          onText={(text) =>
            void fetcher.submit(text, { method: 'post', encType: 'application/json' })
          }
          refused={refused}
        />
        {loaderData.ended.length === 0 ? null : (
          <>
            <h2>Your own</h2>
            <ul className="facts">
              {loaderData.ended.map((drill) => (
                <li key={drill.number}>
                  <To path={`/mend/practice/replay/${drill.number}`}>{drill.title}</To>
                  <span className="source">
                    {clockText(drill.startedAt)}, {drill.score} of 100
                  </span>
                </li>
              ))}
            </ul>
          </>
        )}
      </div>
    </Page>
  )
}
