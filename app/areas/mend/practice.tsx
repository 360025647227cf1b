/** Practice: drills to mend, the one under way with its hints and what was named, and what each was worth. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import { useFetcher } from 'react-router'
import { z } from 'zod'
import { drillCauses } from '~/server/mend/drill-list'
import { countText, durationText } from '~/core/units'
import type { DrillState } from '~/server/mend/drills'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Choice } from '../../kit/choice'
import { Notice, Refused } from '../../kit/notice'
import { StateGlyph } from '../../parts/state'
import { To } from '../../parts/to'
import { askedJson } from '../asked'
import { orRefused } from '../refusals'
import { MendTabs } from './tabs'
import type { Route } from './+types/practice'
import './mend.css'

export const meta: Route.MetaFunction = () => [{ title: 'Practice · Mend · Gyrarch' }]

export async function loader({ context }: Route.LoaderArgs) {
  const { drills, outside } = context.get(gyrarchContext)
  return {
    now: new Date(outside.now).toISOString(),
    current: await drills.current(),
    drills: await drills.list(),
  }
}

const asked = z.union([
  z.strictObject({ do: z.literal('start'), name: z.string().max(100) }),
  z.strictObject({ do: z.enum(['hint', 'give-up']) }),
  z.strictObject({ do: z.literal('name'), cause: z.enum(drillCauses) }),
])

export async function action({ request, context }: Route.ActionArgs) {
  const { drills } = context.get(gyrarchContext)
  return orRefused(async () => {
    const act = await askedJson(request, asked)
    if (act.do === 'start') await drills.start(act.name)
    else if (act.do === 'hint') await drills.hint()
    else if (act.do === 'name') await drills.name(act.cause)
    else await drills.giveUp()
    return { refused: null }
  })
}

type Act = z.infer<typeof asked>

function useAct() {
  const fetcher = useFetcher<{ refused: string | null }>()
  return {
    act: (body: Act) => void fetcher.submit(body, { method: 'post', encType: 'application/json' }),
    isBusy: fetcher.state !== 'idle',
    refused: fetcher.data?.refused ?? null,
  }
}

const words = { on: 'under way', mended: 'mended', 'given-up': 'given up' } as const
const glyphs = { on: 'working', mended: 'well', 'given-up': 'unknown' } as const

function Hints({
  drill,
  isBusy,
  act,
}: {
  readonly drill: DrillState
  readonly isBusy: boolean
  readonly act: (body: Act) => void
}) {
  return (
    <div>
      <h3>Hints</h3>
      <ul className="case-notes">
        {drill.hints.map((hint) => (
          <li key={hint}>{hint}</li>
        ))}
      </ul>
      <div className="acts">
        <Button
          variant="outlined"
          disabled={isBusy || drill.hintsLeft === 0}
          onClick={() => act({ do: 'hint' })}
        >
          Next hint, for 10 points
        </Button>
        <Button variant="text" disabled={isBusy} onClick={() => act({ do: 'give-up' })}>
          Give up
        </Button>
      </div>
    </div>
  )
}

function Current({ drill, now }: { readonly drill: DrillState; readonly now: string }) {
  const { act, isBusy, refused } = useAct()
  const [cause, setCause] = useState('')
  const isOn = drill.state === 'on'
  const until = drill.endedAt ?? now
  const seconds = Math.max(0, (Date.parse(until) - Date.parse(drill.startedAt)) / 1000)
  return (
    <>
      <div>
        <div className="about">
          <span>{words[drill.state]}</span>
          <span>{durationText(seconds)}</span>
        </div>
        <h2>
          <StateGlyph state={glyphs[drill.state]} /> {drill.title}
        </h2>
        <p>{drill.story}</p>
        <p className="soft">{drill.goal}</p>
        {drill.score === null ? null : (
          <p>
            {drill.score} of 100 · <To path={`/mend/practice/replay/${drill.number}`}>Replay it</To>
          </p>
        )}
        {drill.case === null ? null : (
          <p>
            <To path={`/mend/${drill.case}`}>Its case</To>
          </p>
        )}
      </div>
      {isOn ? (
        <>
          <div>
            <h3>What is it?</h3>
            <Choice
              label="Cause"
              value={cause}
              onChange={setCause}
              options={drillCauses.map((code) => ({ value: code, says: code }))}
              width="100%"
            />
            <Button
              variant="contained"
              disabled={isBusy || cause === ''}
              onClick={() => act({ do: 'name', cause: cause as (typeof drillCauses)[number] })}
            >
              Name it
            </Button>
          </div>
          <Hints drill={drill} isBusy={isBusy} act={act} />
        </>
      ) : null}
      {drill.named.length === 0 ? null : (
        <div>
          <h3>Named</h3>
          <ul className="facts">
            {drill.named.map(({ cause: code, at, isRight }) => (
              <li key={at}>
                <span className="mono">{code}</span>
                <span className="source">{isRight ? 'right' : 'not it'}</span>
              </li>
            ))}
          </ul>
        </div>
      )}
      <Refused says={refused} />
    </>
  )
}

export default function Practice({ loaderData }: Route.ComponentProps) {
  const { drills, current, now } = loaderData
  const { act, isBusy, refused } = useAct()
  const isOn = current?.state === 'on'
  return (
    <Page
      title="Mend"
      beside={<MendTabs here="/mend/practice" />}
      reason={
        current === null ? (
          <p className="soft">
            A drill breaks something in the simulated outside and tells you what whoever is on duty
            would be told. Find out what it is, name it, and mend it.
          </p>
        ) : (
          <Current drill={current} now={now} />
        )
      }
    >
      <div className="mend-page">
        {isOn ? (
          <Notice level="note">
            “{current.title}” is under way: look at <To path="/mend">what is broken</To>, name the
            cause beside, and run what helps.
          </Notice>
        ) : null}
        <Refused says={refused} />
        <p>
          <To path="/mend/practice/replay">Run-throughs to look at again</To>
        </p>
        <ul className="duty-list" aria-label="Drills">
          {drills.map((drill) => (
            <li key={drill.name}>
              <StateGlyph state={drill.best === null ? 'unknown' : 'well'} />
              <span>
                <b>{drill.title}</b>
              </span>
              <span className="since">
                <Button
                  variant="outlined"
                  size="small"
                  disabled={isBusy || isOn}
                  aria-label={`Begin ${drill.title}`}
                  onClick={() => act({ do: 'start', name: drill.name })}
                >
                  Begin
                </Button>
              </span>
              <span className="more">
                {drill.story} In {drill.cluster}, {countText(drill.hints, 'hint')}
                {drill.best === null ? '' : `, at best ${drill.best} of 100`}.
              </span>
            </li>
          ))}
        </ul>
      </div>
    </Page>
  )
}
