/** Several clusters to one release: waves laid into maintenance windows, and drafted as one change. */
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { labelledAs, labelsInUse } from '~/core/fleet'
import { minorLines } from '~/core/releases'
import { laidDays, lanesIntent, lanesOf, usualWaves, type WaveLane } from '~/core/releases/changes'
import { countText, durationText } from '~/core/units'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { AskForm, Hidden } from '../../kit/ask-form'
import { Choice } from '../../kit/choice'
import { Field } from '../../kit/field'
import { NumberField } from '../../kit/number-field'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { SeveralField } from '../../kit/several-field'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph, StateText } from '../../parts/state'
import { To } from '../../parts/to'
import { clockText } from '../../parts/when'
import { fleetAsked } from '../moment'
import { RenewTabs } from './tabs'
import type { Route } from './+types/waves'
import './renew.css'

export const meta: Route.MetaFunction = () => [{ title: 'Waves · Gyrarch' }]

const numberIn = (text: string | null, usual: number, atMost: number): number => {
  const value = Number(text ?? usual)
  return Number.isInteger(value) && value >= 1 && value <= atMost ? value : usual
}

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const plain = await fleet.view()
  const { searchParams } = new URL(request.url)
  const today = plain.now.slice(0, 10)
  const lines = minorLines(plain.catalogue)
  const usual = lines.filter(({ until }) => until >= today)[1]?.minor ?? lines[0]?.minor ?? ''
  const asked = searchParams.get('to') ?? ''
  const to = lines.some(({ minor }) => minor === asked) ? asked : usual
  const names = plain.clusters.map(({ name }) => name)
  const labels = searchParams.get('labels') ?? ''
  const labelled = labelledAs(plain.clusters, labels)
  const wanted = searchParams.get('clusters')?.split(',').filter(Boolean)
  const chosen = wanted?.filter((name) => names.includes(name)) ?? names
  const among = labelled.ok ? chosen.filter((name) => labelled.names.includes(name)) : []
  const atOnce = numberIn(searchParams.get('atOnce'), 1, 20)
  const soak = numberIn(searchParams.get('soak'), 60, 10_080)
  const members = usualWaves(plain, among, to)
  const view = await fleet.viewFor(
    members.map(({ cluster }) => cluster),
    [],
    true,
  )
  const upgrades = { members, to, atOnce, soakSeconds: soak * 60 }
  // A picture of the past is no other’s: it is not handed over, and what follows from it is worked out here.
  const lanes =
    fleet === gyrarch.fleet
      ? await gyrarch.judges.waves(upgrades, view)
      : lanesOf(view, members, to, atOnce, soak * 60)
  return {
    now: plain.now,
    names,
    chosen,
    among,
    labels,
    labelsWrong: labelled.ok ? null : labelled.says,
    labelsInUse: labelsInUse(plain.clusters),
    to,
    minors: lines.map(({ minor }) => minor),
    atOnce,
    soak,
    lanes,
    intent: lanesIntent(lanes, atOnce, soak * 60),
  }
}

type Data = Route.ComponentProps['loaderData']

function Asked({ data }: { readonly data: Data }) {
  const [clusters, setClusters] = useState<readonly string[]>(data.chosen)
  return (
    <AskForm
      label="Which clusters go where"
      verb="Lay"
      asks={['to', 'clusters', 'labels', 'atOnce', 'soak']}
    >
      <Choice
        name="to"
        label="To"
        options={data.minors}
        defaultValue={data.to}
        width={110}
        unfolds
      />
      <Hidden name="clusters" value={clusters.join(',')} />
      <SeveralField
        label="Clusters"
        value={clusters}
        options={data.names}
        onChange={setClusters}
        placeholder="none"
        width={300}
      />
      <Field
        name="labels"
        label="Labels"
        defaultValue={data.labels}
        error={data.labelsWrong}
        placeholder={data.labelsInUse[0] ?? 'none in use'}
        maxLength={1000}
        width={190}
      />
      <NumberField
        name="atOnce"
        label="At once"
        defaultValue={data.atOnce}
        min={1}
        max={20}
        width={100}
      />
      <NumberField
        name="soak"
        label="Minutes between"
        defaultValue={data.soak}
        min={1}
        max={10_080}
        width={140}
      />
    </AskForm>
  )
}

const span = laidDays * 86_400_000

/** A lane: its windows, and the stage laid into one of them. */
function Lane({ lane, now }: { readonly lane: WaveLane; readonly now: string }) {
  const part = (at: string): number => Math.max(0, (Date.parse(at) - Date.parse(now)) / span)
  const bar = (start: string, end: string) => ({
    left: `${100 * part(start)}%`,
    width: `max(3px, ${100 * (part(end) - part(start))}%)`,
  })
  return (
    <span
      className="wave-lane"
      role="img"
      aria-label={
        lane.laid
          ? `laid into ${clockText(lane.laid.start, { seconds: false })} UTC`
          : 'laid into no window'
      }
    >
      {lane.open.map(({ start, end }) => (
        <span key={start} className="open" style={bar(start, end)} />
      ))}
      {lane.laid ? <span className="laid" style={bar(lane.laid.start, lane.laid.end)} /> : null}
    </span>
  )
}

function Lanes({ lanes, now }: Pick<Data, 'lanes' | 'now'>) {
  return (
    <PlainTable
      label="Waves"
      heads={[
        'wave',
        'cluster',
        'from',
        'likely',
        'worst',
        'window',
        'laid into',
        `next ${laidDays} days`,
      ]}
    >
      {lanes.map((lane) => (
        <Row key={lane.cluster}>
          <Cell className="number">{lane.wave}</Cell>
          <Cell>
            <To path="/renew/upgrades" query={{ cluster: lane.cluster, to: lane.to }}>
              {lane.cluster}
            </To>
          </Cell>
          <Cell className="mono">{lane.from}</Cell>
          <Cell className="number">{lane.seconds ? durationText(lane.seconds.likely) : ''}</Cell>
          <Cell className="number">{lane.seconds ? durationText(lane.seconds.worst) : ''}</Cell>
          <Cell>{lane.window ?? <StateText state="strained">none</StateText>}</Cell>
          <Cell>
            {lane.laid ? (
              `${clockText(lane.laid.start, { seconds: false })} UTC`
            ) : (
              <StateText state="broken">{lane.why ?? 'nowhere'}</StateText>
            )}
          </Cell>
          <Cell className="lanes">
            <Lane lane={lane} now={now} />
          </Cell>
        </Row>
      ))}
    </PlainTable>
  )
}

function Reason({ lanes, to, intent, among, labels }: Data) {
  const unlaid = lanes.filter(({ laid }) => laid === null)
  const last = lanes
    .flatMap(({ laid }) => laid?.end ?? [])
    .sort()
    .at(-1)
  const there = among.length - lanes.length
  const held = lanes.filter((lane) => lane.held > 0)
  if (among.length === 0)
    return (
      <>
        <h2>No cluster is chosen</h2>
        <p className="soft">
          {labels === '' ? 'Choose those that are to go.' : `None of them is labelled ${labels}.`}
        </p>
      </>
    )
  if (lanes.length === 0)
    return (
      <h2>
        <StateGlyph state="well" /> All of them run {to} or newer
      </h2>
    )
  return (
    <>
      <h2>
        <StateGlyph state={unlaid.length + held.length === 0 ? 'well' : 'strained'} />{' '}
        {unlaid.length === 0
          ? `${countText(lanes.length, 'cluster')} laid`
          : `${countText(unlaid.length, 'cluster')} could not be laid`}
      </h2>
      {last === undefined ? null : (
        <p>Done by {clockText(last, { seconds: false })} UTC at the worst.</p>
      )}
      {unlaid.map(({ cluster, why }) => (
        <p key={cluster}>{why}</p>
      ))}
      {held.map((lane) => (
        <p key={lane.cluster}>
          <To path="/renew/upgrades" query={{ cluster: lane.cluster, to: lane.to }}>
            {lane.cluster}
          </To>
          : {countText(lane.held, 'pod')} cannot leave{' '}
          {lane.held === 1 ? 'its node' : 'their nodes'} as it is. The draft says what helps.
        </p>
      ))}
      {unlaid.some(({ window }) => window === null) ? (
        <p>
          <To path="/shape/windows">Give them a window</To>
        </p>
      ) : null}
      {there > 0 ? <p>{countText(there, 'more runs', 'more run')} it already.</p> : null}
      <div className="acts">
        <DraftChange kind="fleet.upgrade" intent={intent} variant="contained">
          Draft them as one
        </DraftChange>
      </div>
      <p className="soft">
        What drives other clusters goes first. Each begins only while its window is open, once
        nothing that was touched is broken; one that halts keeps the next from beginning.
      </p>
    </>
  )
}

export default function WavesPage({ loaderData }: Route.ComponentProps) {
  const [search] = useSearchParams()
  return (
    <Page
      title="Waves"
      beside={<span className="soft">to {loaderData.to}</span>}
      reason={<Reason {...loaderData} />}
    >
      <RenewTabs here="/renew/waves" />
      <div className="renew-page">
        <Asked key={search.toString()} data={loaderData} />
        <Lanes lanes={loaderData.lanes} now={loaderData.now} />
      </div>
    </Page>
  )
}
