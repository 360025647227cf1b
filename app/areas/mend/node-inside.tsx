/** How a node is inside, read only: what somebody on it would look at first. */
import type { NodeLook } from '~/core/contract'
import { bytesText, durationText } from '~/core/units'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { StateGlyph } from '../../parts/state'
import { clockText } from '../../parts/when'

interface Line {
  readonly what: string
  readonly is: string
  readonly more: string
  readonly isWell: boolean
}

/** A certificate takes no part once its end has come; a clock that is off by more than this is refused by others. */
const mostOffSeconds = 120
const fullShare = 0.85

function linesOf(look: NodeLook, now: string): readonly Line[] {
  const off = Math.abs(look.time.offBySeconds)
  const direction = look.time.offBySeconds < 0 ? 'behind' : 'ahead'
  return [
    ...look.services.map(({ name, state, since }) => ({
      what: name,
      is: state,
      more: `since ${clockText(since, { year: true, seconds: false })}`,
      isWell: state === 'running' || state === 'ended',
    })),
    ...look.disks.map(({ mount, bytes, usedBytes }) => ({
      what: `file system ${mount}`,
      is: `${Math.round((100 * usedBytes) / Math.max(1, bytes))} % used`,
      more: `${bytesText(usedBytes)} of ${bytesText(bytes)}`,
      isWell: usedBytes < fullShare * bytes,
    })),
    ...look.addresses.map(({ network, address }) => ({
      what: 'address',
      is: address,
      more: network,
      isWell: true,
    })),
    ...look.certificates.map(({ name, until }) => ({
      what: `certificate, ${name}`,
      is: until > now ? 'valid' : 'ended',
      more: `until ${clockText(until, { year: true, seconds: false })}`,
      isWell: until > now,
    })),
    {
      what: 'time',
      is: clockText(look.time.at, { year: true }),
      more: off === 0 ? 'right' : `${durationText(off)} ${direction}`,
      isWell: off <= mostOffSeconds,
    },
  ]
}

export function NodeInside({
  look,
  now,
}: {
  readonly look: NodeLook & { readonly name: string }
  readonly now: string
}) {
  return (
    <>
      <h2>Inside {look.name}</h2>
      <PlainTable label={`Inside ${look.name}`} heads={['what', 'is', '']}>
        {linesOf(look, now).map(({ what, is, more, isWell }) => (
          <Row key={`${what} ${is}`}>
            <Cell>
              <StateGlyph state={isWell ? 'well' : 'broken'} /> {what}
            </Cell>
            <Cell className="mono">{is}</Cell>
            <Cell className="soft">{more}</Cell>
          </Row>
        ))}
      </PlainTable>
    </>
  )
}
