/** Replicated storage of the model, out of what it tells of itself. */
import type { StorageReport, VolumeReport } from '~/core/contract'
import type { Storage } from '~/standin/model'

const dayMs = 86_400_000

/** Bytes that a volume grew by in a day, over the days that are told. */
function perDay({ samples }: VolumeReport): number {
  const [first] = samples
  const last = samples.at(-1)
  if (!first || !last) return 0
  const days = (Date.parse(last.at) - Date.parse(first.at)) / dayMs
  return days > 0 ? Math.max(0, (last.usedBytes - first.usedBytes) / days) : 0
}

type Volume = Storage['volumes'][number]

function modelVolume(volume: VolumeReport, now: number): Volume {
  return {
    name: volume.name,
    claim: volume.claim,
    class: volume.class,
    bytes: volume.bytes,
    copies: volume.copies,
    zones: volume.zones,
    levels: [{ at: now, usedBytes: volume.usedBytes }],
    perDayBytes: perDay(volume),
    replicas: volume.replicas.map((replica) => {
      const since = Date.parse(replica.since)
      return {
        node: replica.node,
        disk: replica.disk,
        whole: replica.state === 'whole',
        since,
        ...(replica.state === 'gone' ? { gone: { since, reason: replica.reason } } : {}),
        ...(replica.from !== null && replica.until !== null
          ? {
              filling: { from: replica.from, startedAt: since, endsAt: Date.parse(replica.until) },
            }
          : {}),
      }
    }),
    snapshots: volume.snapshots.map(({ name, at, usedBytes }) => ({
      name,
      at: Date.parse(at),
      usedBytes,
    })),
  }
}

export function modelStorage(report: StorageReport, now: number): Storage {
  const held = (node: string, disk: string): number =>
    report.volumes.reduce(
      (sum, { usedBytes, replicas }) =>
        replicas.some((replica) => replica.node === node && replica.disk === disk)
          ? sum + usedBytes
          : sum,
      0,
    )
  return structuredClone({
    addOn: report.addOn,
    plannedPercent: report.plannedPercent,
    floorPercent: report.floorPercent,
    atOnce: report.rebuild.atOnce,
    attachLimit: report.attachLimit,
    classes: report.classes,
    network: report.network,
    networks: report.networks,
    listens: Object.fromEntries(report.listens.map(({ node, network }) => [node, network])),
    disks: report.disks.map((disk) => ({
      node: disk.node,
      name: disk.name,
      bytes: disk.bytes,
      otherBytes: Math.max(0, disk.bytes - disk.freeBytes - held(disk.node, disk.name)),
      ...(disk.state === 'retiring' ? { retiring: true } : {}),
      ...(disk.state === 'lost' ? { lost: true } : {}),
    })),
    volumes: report.volumes.map((volume) => modelVolume(volume, now)),
  }) as Storage
}
