/** The packet walk: who sends what to whom, the way hop by hop, what would let it through, and what is expected to stay so. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import {
  clustersOf,
  endChoices,
  expectations,
  readFrom,
  readTo,
  type Walk,
  walk,
  walkAnswer,
  walkRemedies,
  walkWorldOf,
  type Expected,
} from '~/core/wire'
import { formatAddress } from '~/core/addresses'
import { type ExpectationView, type FleetView, whoHolds } from '~/core/fleet'
import { changeFor } from '~/core/wire/changes'
import { countText } from '~/core/units'
import { breath } from '~/server/breath'
import type { Gyrarch } from '~/server/gyrarch'
import { askedJson } from '../asked'
import { preparedWorld } from '~/server/wire/prepared-world'
import { gyrarchContext } from '../../context'
import { PacketRibbon } from '../../drawings/packet-ribbon'
import { Page } from '../../frame/page'
import { Attention } from '../../parts/attention'
import { StateGlyph } from '../../parts/state'
import { useAddress } from '../../parts/to'
import { orRefused } from '../refusals'
import { WireTabs } from './tabs'
import { aimed, keepingAsked, protocols } from './wire-data'
import './wire.css'
import { fleetAsked } from '../moment'
import type { Route } from './+types/walk'
import { Kept } from './kept'
import { NoWalk, WalkReason } from './walk-reason'
import { AskForm } from '../../kit/ask-form'
import { Choice } from '../../kit/choice'
import { Notice } from '../../kit/notice'
import { NumberField } from '../../kit/number-field'
import { SuggestField } from '../../kit/suggest-field'

export const meta: Route.MetaFunction = () => [{ title: 'Packet walk · Gyrarch' }]

/** Kept walks with whether they hold, and the case that is open about each. */
const keptNow = (
  gyrarch: Gyrarch,
  kept: readonly ExpectationView[],
  held: ReadonlyMap<string, Expected>,
) =>
  Promise.all(
    kept.map(async (expectation) => ({
      ...expectation,
      now: held.get(expectation.name) ?? null,
      case: await gyrarch.cases.openAbout(`expectation/${expectation.name}`),
    })),
  )

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const search = new URL(request.url).searchParams
  const { view: near, cluster } = await aimed(gyrarch, request)
  const named = [search.get('from'), search.get('to')].flatMap(
    (text) => /^([a-z][-a-z0-9]*):.*\//.exec(text ?? '')?.[1] ?? [],
  )
  const view = await fleet.viewFor(
    [...named, ...(near.expectations ?? []).flatMap(clustersOf)],
    cluster ? [`cluster/${cluster.name}`] : [],
  )
  const aim = cluster?.name ?? null
  const [from = '', to = ''] = [search.get('from')?.trim() ?? '', search.get('to')?.trim() ?? '']
  const port = Number(search.get('port') ?? '443')
  const protocol =
    protocols.find((protocol) => protocol === search.get('protocol')?.toUpperCase()) ?? 'TCP'
  const bytes = Number(search.get('bytes') ?? '')
  const requested = from !== '' || to !== ''
  const ready = await preparedWorld(view)
  await breath()
  const [source, goal] = [readFrom(view, from, aim), readTo(view, to, aim)]
  let wrong: { field: string; says: string } | null
  if (!requested) wrong = null
  else if (!source.ok) wrong = { field: 'from', says: source.says }
  else if (!goal.ok) wrong = { field: 'to', says: goal.says }
  else if (!Number.isInteger(port) || port < 1 || port > 65_535)
    wrong = { field: 'port', says: 'A port is a whole number from 1 to 65535.' }
  else if (!ready.ok) wrong = { field: '', says: `${ready.path}: ${ready.says}` }
  else wrong = null
  const query =
    requested && source.ok && goal.ok ? { from: source.end, to: goal.end, port, protocol } : null
  const walkRead = wrong === null && query && ready.ok ? walk(ready.world, query) : null
  await breath()
  const world = walkWorldOf(view)
  await breath()
  const remedies =
    walkRead?.ok && query && ready.ok
      ? walkRemedies(ready.world, query, walkRead.walk).map((remedy) => ({
          kind: remedy.kind,
          says: remedy.says,
          change: changeFor(world, remedy),
        }))
      : []
  await breath()
  const held = new Map(expectations(view).map((expectation) => [expectation.name, expectation]))
  return {
    aim: aim === null ? null : `cluster/${aim}`,
    cluster: aim,
    asked: {
      from,
      to,
      port: Number.isFinite(port) ? port : 443,
      protocol,
      bytes: Number.isFinite(bytes) && bytes > 0 ? bytes : null,
    },
    wrong:
      wrong ?? (walkRead && !walkRead.ok ? { field: walkRead.path, says: walkRead.says } : null),
    query,
    answer: walkRead?.ok
      ? {
          ...walkAnswer(walkRead.walk),
          choices: walkRead.walk.choices,
          nobody: nobodyAt(view, walkRead.walk),
          sentAs: walkAnswer(walkRead.walk).hops[0]?.before.source ?? '',
        }
      : null,
    remedies,
    peer:
      walkRead?.ok && walkRead.walk.peer
        ? { name: walkRead.walk.peer.name, accepts: walkRead.walk.peer.given.accepts ?? null }
        : null,
    choices: endChoices(view, aim).slice(0, 400),
    kept: await keptNow(gyrarch, view.expectations ?? [], held),
  }
}

export async function action({ request, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  return orRefused(async () => {
    const given = await askedJson(request, keepingAsked)
    if (given.remove !== undefined) await gyrarch.expectations.remove(given.remove)
    else await gyrarch.expectations.keep(given.keep)
    return { refused: null }
  })
}

/** The address a packet goes to in the end where nothing there is known to hold it, or null. */
function nobodyAt(view: FleetView, walked: Walk): string | null {
  const place = walked.to
  if (!place || place.pod || place.node || walked.peer) return null
  const address = formatAddress(place.address)
  const isNamed = view.sites.some((site) => site.records.some((record) => record.value === address))
  const isHeld = whoHolds(view, address).holders.some((holder) => !/[/-]/.test(holder.range))
  return isNamed || isHeld ? null : address
}

export type Data = Route.ComponentProps['loaderData']

function Answer({
  answer,
  open,
  onOpen,
}: {
  readonly answer: NonNullable<Data['answer']>
  readonly open: number
  readonly onOpen: (index: number) => void
}) {
  const last = answer.hops.at(-1)
  const arrived = answer.verdict === 'delivered'
  const before = answer.hops.filter((hop) => hop.hop !== 'way-back').at(-1)
  return (
    <>
      {answer.nobody === null ? null : (
        <Notice level="caution">
          Nobody holds <span className="mono">{answer.nobody}</span>: what follows is the way there,
          and nothing would answer.
        </Notice>
      )}
      <h2 className="walk-verdict">
        <StateGlyph state={arrived ? 'well' : 'broken'} />{' '}
        {arrived
          ? 'Delivered, and the answer comes back'
          : `Dropped at ${(last?.hop ?? '').replace('-', ' ')}${typeof last?.by === 'string' && last.by !== 'default' ? `: ${last.by}` : ''}`}
      </h2>
      <p className="soft">
        sent as <span className="mono">{answer.sentAs}</span>
        {before ? (
          <>
            {' '}
            · {arrived ? 'arrives' : 'last seen'} as{' '}
            <span className="mono">{(before.after ?? before.before).source}</span>
          </>
        ) : null}{' '}
        · {countText(answer.hops.length, 'hop')}
        {answer.mtu
          ? ` · smallest MTU ${answer.mtu.smallest} at ${answer.mtu.at}${answer.mtu.overhead > 0 ? `, overlay takes ${answer.mtu.overhead}` : ''}`
          : ''}
        {answer.choices > 1 ? ` · first of ${answer.choices} ready endpoints` : ''}
      </p>
      <PacketRibbon hops={answer.hops} open={open} onOpen={onOpen} />
    </>
  )
}

/** Both ends, the port and the protocol of a walk; and the walk the other way. */
function WalkForm({ asked, wrong, choices }: Pick<Data, 'asked' | 'wrong' | 'choices'>) {
  const address = useAddress()
  const navigate = useNavigate()
  const { from, to, port, protocol } = asked
  const errorOf = (field: string): string | null => (wrong?.field === field ? wrong.says : null)
  const turnRound = (): void =>
    void navigate(address('/wire/walk', { from: to, to: from, port: String(port), protocol }))
  return (
    <AskForm label="Walk a packet" asks={['from', 'to', 'port', 'protocol']}>
      <SuggestField
        key={`f${from}`}
        name="from"
        label="From"
        mono
        defaultValue={from}
        suggestions={choices}
        placeholder="climate/climate-loop"
        error={errorOf('from')}
        width={200}
      />
      <SuggestField
        key={`t${to}`}
        name="to"
        label="To"
        mono
        defaultValue={to}
        suggestions={choices}
        placeholder="weather-bureau"
        error={errorOf('to')}
        width={190}
      />
      <NumberField
        key={`p${port}`}
        name="port"
        label="Port"
        defaultValue={Number(port) || 443}
        max={65_535}
        error={errorOf('port')}
        width={86}
      />
      <Choice
        key={protocol}
        name="protocol"
        label="Protocol"
        defaultValue={protocol}
        options={protocols}
        width={86}
      />
      <Button type="submit" variant="contained">
        Walk
      </Button>
      <Button variant="outlined" disabled={from === '' || to === ''} onClick={turnRound}>
        Other way
      </Button>
    </AskForm>
  )
}

export default function WalkPage({ loaderData }: Route.ComponentProps) {
  const { wrong, answer, kept, cluster } = loaderData
  const [chosen, setChosen] = useState<{ readonly of: unknown; readonly index: number } | null>(
    null,
  )
  const index =
    chosen && chosen.of === answer ? chosen.index : Math.max(0, (answer?.hops.length ?? 1) - 1)
  const broken = kept.filter((row) => row.now?.holds === false).length
  const isOfField = wrong !== null && ['from', 'to', 'port'].includes(wrong.field)
  return (
    <Page
      title="Packet walk"
      beside={
        kept.length > 0 ? (
          <Attention
            wants={
              broken > 0
                ? [
                    `${broken} of ${countText(kept.length, 'expectation')} ${broken === 1 ? 'does' : 'do'} not hold`,
                  ]
                : []
            }
            well={`every expectation holds, ${kept.length} kept`}
          />
        ) : (
          <span className="soft">
            {cluster === null
              ? 'between anything that has an address'
              : `names as ${cluster} has them`}
          </span>
        )
      }
      reason={answer ? <WalkReason data={loaderData} answer={answer} index={index} /> : <NoWalk />}
    >
      <WireTabs here="/wire/walk" />
      <div className="wire-page">
        <WalkForm {...loaderData} />
        {wrong && !isOfField ? <Notice>{wrong.says}</Notice> : null}
        {answer ? (
          <Answer
            answer={answer}
            open={index}
            onOpen={(at) => setChosen({ of: answer, index: at })}
          />
        ) : null}
        <h3 style={{ marginTop: 18 }}>Expectations</h3>
        <Kept rows={kept} />
      </div>
    </Page>
  )
}
