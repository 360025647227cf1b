/** Shipments that were packed: how far each has got, its files, and the place where drives are put in. */
import Button from '@mui/material/Button'
import { useNavigate, useSearchParams } from 'react-router'
import { countText, decimalBytesText } from '~/core/units'
import { type Column, Table } from '../../kit/table/table'
import { DraftChange } from '../../parts/draft-change'
import { PutDrive } from '../../parts/put-drive'
import { StateGlyph, StateText } from '../../parts/state'
import { To, useAddress } from '../../parts/to'
import type { PackedDriveShown, PackedShown } from './packed-shipments-data'

const inThere = ({ drives }: PackedShown): number =>
  drives.filter(({ missing }) => missing === 0).length

function stateOf(packed: PackedShown): {
  readonly state: 'well' | 'strained' | 'broken' | 'resting'
  readonly says: string
} {
  const { drives } = packed
  const written = drives.filter(({ isWritten }) => isWritten).length
  if (packed.isThere) return { state: 'well', says: `at ${packed.site}` }
  if (drives.length === 0)
    return packed.takenBy === null
      ? { state: 'resting', says: 'not sent' }
      : { state: 'strained', says: 'being sent' }
  if (written < drives.length)
    return { state: 'resting', says: `${written} of ${countText(drives.length, 'drive')} written` }
  if (packed.takenBy !== null)
    return {
      state: 'strained',
      says: `${inThere(packed)} of ${countText(drives.length, 'drive')} taken in`,
    }
  return { state: 'resting', says: 'packed' }
}

const columns: readonly Column<PackedShown>[] = [
  {
    name: 'shipment',
    value: (packed) => packed.name,
    show: (packed) => <b className="mono">{packed.name}</b>,
  },
  {
    name: 'how far',
    value: (packed) => stateOf(packed).says,
    show: (packed) => {
      const { state, says } = stateOf(packed)
      return <StateText state={state}>{says}</StateText>
    },
  },
  { name: 'release', value: (packed) => packed.release ?? 'images alone' },
  { name: 'images', value: (packed) => packed.images, number: true },
  { name: 'drives', value: (packed) => packed.drives.length, number: true },
  {
    name: 'size',
    value: (packed) => packed.drives.reduce((sum, { bytes }) => sum + bytes, 0),
    show: (packed) =>
      packed.drives.length === 0
        ? 'over the link'
        : decimalBytesText(packed.drives.reduce((sum, { bytes }) => sum + bytes, 0)),
    number: true,
  },
  { name: 'packed', value: (packed) => packed.packedAt.slice(0, 16).replace('T', ' ') },
]

export function PackedShipments({
  packed,
  chosen,
}: {
  readonly packed: readonly PackedShown[]
  readonly chosen: string | null
}) {
  const navigate = useNavigate()
  const [search] = useSearchParams()
  if (packed.length === 0) return null
  const to = (name: string): string => {
    const next = new URLSearchParams(search)
    if (name === chosen) next.delete('shipment')
    else next.set('shipment', name)
    return `?${next.toString()}`
  }
  return (
    <>
      <Table
        name="packed shipments"
        columns={columns}
        rows={packed}
        id={(row) => row.name}
        selected={chosen}
        onSelect={(row) => void navigate(to(row.name), { preventScrollReset: true })}
        empty="Nothing is packed yet."
      />
      <h2 className="to-carry">To be carried</h2>
    </>
  )
}

function driveText({ blobs, missing, isWritten, isAwaited, bytes }: PackedDriveShown): string {
  if (missing === 0) return `taken in, ${countText(blobs, 'blob')}`
  if (!isWritten) return 'not written yet'
  const size = `${decimalBytesText(bytes)}, ${countText(blobs, 'blob')}`
  if (missing < blobs) return `${size}, ${missing} still to come`
  return isAwaited ? `${size}, waited for` : size
}

export function PackedReason({ packed }: { readonly packed: PackedShown }) {
  const address = useAddress()
  const { state, says } = stateOf(packed)
  const { isThere } = packed
  const isWritten = packed.drives.every((drive) => drive.isWritten)
  return (
    <>
      <div>
        <div className="about">
          <span className="mono">{packed.name}</span>
        </div>
        <h2>
          <StateGlyph state={state} /> {says.replace(/^./, (first) => first.toUpperCase())}
        </h2>
        <p className="soft">
          {countText(packed.images, 'image')} for {packed.site}
          {packed.release === null ? '' : `, so that it can run ${packed.release}`}.{' '}
          {packed.drives.length === 0
            ? 'It goes over the link, without drives.'
            : 'Drives go in in any order.'}
        </p>
      </div>
      <dl className="facts row-facts">
        {packed.drives.map((drive) => (
          <div key={drive.drive}>
            <dt className="mono">
              drive {drive.drive} · {drive.medium}
            </dt>
            <dd>
              {driveText(drive)}{' '}
              {drive.isWritten ? (
                <a href={`/api/v1/shipments/${packed.name}/drives/${drive.drive}.tar`}>download</a>
              ) : null}
            </dd>
          </div>
        ))}
      </dl>
      {packed.takenBy === null ? (
        <div className="acts">
          {isThere || !isWritten || packed.drives.length === 0 ? null : (
            <DraftChange
              kind="shipment.import"
              intent={{ shipment: packed.name, site: packed.site }}
              variant="contained"
            >
              {`Take it in at ${packed.site}`}
            </DraftChange>
          )}
        </div>
      ) : (
        <>
          <p>
            <To path={`/changes/${packed.takenBy}`}>The run that brings it</To>
            {packed.drives.some((drive) => drive.isAwaited) ? ' waits for drives.' : ' goes on.'}
          </p>
          {packed.drives.some((drive) => drive.isAwaited) ? <PutDrive /> : null}
        </>
      )}
      <div className="acts">
        <Button href={address('/store/shipments')} variant="text">
          Another shipment
        </Button>
      </div>
    </>
  )
}
