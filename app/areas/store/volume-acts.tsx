/** What can be done to a volume: each a draft that is judged before anything happens. */
import type { StorageReport, VolumeReport } from '~/core/contract'
import type { SnapshotScheduleView } from '~/core/fleet'
import { plannedBytes } from '~/core/storage'
import { GB } from '~/core/units'
import { DraftChange } from '../../parts/draft-change'

export interface OfVolume {
  readonly cluster: string
  readonly storage: StorageReport
  readonly volume: VolumeReport
  /** When its snapshots are taken by themselves. */
  readonly schedule: SnapshotScheduleView | null
  readonly now: string
}

/** A disk on whose node no copy of the volume lies: the one with the most room, which the draft then judges. */
function otherDisk(storage: StorageReport, volume: VolumeReport): string {
  const free = storage.disks
    .filter((disk) => !volume.replicas.some((copy) => copy.node === disk.node))
    .sort((a, b) => b.bytes - plannedBytes(storage, b) - (a.bytes - plannedBytes(storage, a)))[0]
  return free ? `${free.node}/${free.name}` : ''
}

export function VolumeActs({ cluster, storage, volume, schedule, now }: OfVolume) {
  const target = { cluster, volume: volume.name }
  const [snapshot] = volume.snapshots.slice(-1)
  return (
    <div className="acts">
      <DraftChange
        kind="volume.resize"
        intent={{ ...target, gigabytes: Math.ceil((volume.bytes / GB) * 1.25) }}
      >
        Grow it
      </DraftChange>
      <DraftChange kind="volume.copies" intent={{ ...target, copies: volume.copies + 1 }}>
        {`Keep ${volume.copies + 1} copies`}
      </DraftChange>
      <DraftChange
        kind="volume.move"
        intent={{
          ...target,
          from: `${volume.replicas[0]?.node ?? ''}/${volume.replicas[0]?.disk ?? ''}`,
          to: otherDisk(storage, volume),
        }}
      >
        Move a copy
      </DraftChange>
      <DraftChange
        kind="snapshot.take"
        intent={{ ...target, snapshot: `by-hand-${volume.snapshots.length + 1}` }}
      >
        Take a snapshot
      </DraftChange>
      {schedule ? (
        <DraftChange kind="snapshot.schedule" intent={{ ...schedule, rule: null }}>
          End its schedule
        </DraftChange>
      ) : (
        <DraftChange
          kind="snapshot.schedule"
          intent={{
            ...target,
            start: `${now.slice(0, 10)}T03:00`,
            zone: 'Europe/Berlin',
            rule: 'FREQ=DAILY',
            keep: 7,
          }}
        >
          Take them every night
        </DraftChange>
      )}
      {snapshot ? (
        <DraftChange
          kind="snapshot.restore"
          intent={{ ...target, snapshot: snapshot.name, detach: false }}
        >
          {`Put back ${snapshot.name}`}
        </DraftChange>
      ) : null}
    </div>
  )
}
