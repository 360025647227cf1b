/** Both ways of a cluster to a release, by what decides between them: in place, or a second cluster beside it. */
import { type ReactNode, useEffect, useState } from 'react'
import { useFetcher } from 'react-router'
import type { TwoWays, WayCost } from '~/core/releases/changes'
import { bytesText, countText, durationText, listText, moneyText } from '~/core/units'
import { NumberField } from '../../kit/number-field'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'

const usualHours = 24

function Stands({ stops }: Pick<WayCost, 'stops'>) {
  if (stops.length === 0)
    return (
      <>
        <StateGlyph state="well" /> nothing
      </>
    )
  return (
    <>
      <StateGlyph state="broken" /> {stops[0]}
      {stops.length === 1 ? '' : ` And ${countText(stops.length - 1, 'thing')} more.`}
    </>
  )
}

const secondsText = ({ seconds }: WayCost): string =>
  seconds === null
    ? 'not known before that is mended'
    : `${durationText(seconds.likely)} likely, ${durationText(seconds.worst)} at the worst`

const spendText = ({ spend }: WayCost): string => {
  if (spend === null) return 'not known before that is mended'
  return Math.abs(spend) < 0.0005
    ? 'nothing'
    : `${spend < 0 ? '−' : '+'} ${moneyText(Math.abs(spend))}`
}

const silentText = ({ silentSeconds }: WayCost): string =>
  silentSeconds === 0 ? 'never silent' : `silent for about ${durationText(silentSeconds)} in all`

type Moves = TwoWays['beside']['second']['moves']

function copyText({ volumes, volumeBytes, copySeconds }: Moves): string {
  if (volumes === 0) return 'no volume'
  const how =
    copySeconds === null
      ? 'nobody told how fast they are copied'
      : `copied in ${durationText(copySeconds)}`
  return `${countText(volumes, 'volume')} of ${bytesText(volumeBytes)}, ${how}`
}

function trafficText({ routes, names }: Moves): string {
  const parts = [
    ...(routes > 0 ? [`${countText(routes, 'route')} by weights`] : []),
    ...(names.length > 0 ? [`${listText(names, 3)} by name`] : []),
  ]
  return parts.length === 0 ? 'no name and no route leads to it' : `turned: ${parts.join('; ')}`
}

interface Compared {
  readonly what: string
  readonly inPlace: ReactNode
  readonly beside: ReactNode
}

function rowsOf({ inPlace, beside }: TwoWays, name: string): readonly Compared[] {
  const { moves } = beside.second
  return [
    {
      what: 'stands against it',
      inPlace: <Stands stops={inPlace.stops} />,
      beside: <Stands stops={beside.stops} />,
    },
    { what: 'takes', inPlace: secondsText(inPlace), beside: secondsText(beside) },
    {
      what: 'costs meanwhile',
      inPlace: spendText(inPlace),
      beside: `${spendText(beside)}, both standing for ${durationText(beside.soakSeconds)}`,
    },
    { what: 'its API', inPlace: silentText(inPlace), beside: silentText(beside) },
    {
      what: 'pods',
      inPlace: countText(inPlace.pods, 'pod leaves its node', 'pods leave their nodes'),
      beside: `${countText(moves.pods, 'pod')} made once more, and those of the platform`,
    },
    {
      what: 'moves',
      inPlace: 'nothing',
      beside: `${countText(moves.workloads, 'workload')} of ${countText(moves.namespaces, 'namespace')}; ${copyText(moves)}`,
    },
    { what: 'traffic', inPlace: 'stays', beside: trafficText(moves) },
    {
      what: 'way back',
      inPlace: 'the backup taken first; from the first step of the control plane on no other',
      beside: `weights and names turned back, until ${name} is taken down`,
    },
  ]
}

export function TwoWaysTable({ cluster, to }: { readonly cluster: string; readonly to: string }) {
  // An empty field is one in which something else is about to be typed.
  const [typed, setTyped] = useState<number | undefined>(usualHours)
  const hours = typed ?? usualHours
  const { load, data } = useFetcher<{ ways: TwoWays | null }>()
  const asked = new URLSearchParams({ cluster, to, hours: String(hours) }).toString()
  useEffect(() => void load(`/renew/upgrades/beside?${asked}`), [load, asked])
  const ways = data?.ways
  if (ways === null) return null
  return (
    <section aria-label="In place or beside" aria-busy={ways === undefined}>
      <h2>In place, or a second cluster beside it</h2>
      {ways === undefined ? (
        <p className="soft">Both are being judged …</p>
      ) : (
        <>
          <PlainTable
            label="In place beside a second cluster"
            heads={['compared by', 'in place', `beside it, ${ways.beside.second.raise.name}`]}
          >
            {rowsOf(ways, cluster).map(({ what, inPlace, beside }) => (
              <Row key={what}>
                <Cell component="th" scope="row">
                  {what}
                </Cell>
                <Cell className="way">{inPlace}</Cell>
                <Cell className="way">{beside}</Cell>
              </Row>
            ))}
          </PlainTable>
          <div className="ask-form ways-asked">
            <NumberField
              label="Hours both stand"
              value={typed}
              onChange={setTyped}
              min={0}
              max={8760}
              width={140}
            />
            <DraftChange kind="cluster.raise" intent={ways.beside.second.raise} variant="outlined">
              Draft the second cluster
            </DraftChange>
          </div>
        </>
      )}
    </section>
  )
}
