/** The disk wall of a cluster: where every copy lies, what a loss would cost, and how long it would take to make good. */
import { useNavigate, useSearchParams } from 'react-router'
import type { StorageReport, VolumeReport } from '~/core/contract'
import { growthOfVolume, type Loss, lossesOfStorage, volumeState } from '~/core/storage'
import { countText, decimalBytesText } from '~/core/units'
import { gyrarchContext } from '../../context'
import { DiskWall } from '../../drawings/disk-wall'
import { Page } from '../../frame/page'
import { useKey } from '../../frame/keys'
import { Choice } from '../../kit/choice'
import { Empty } from '../../kit/empty'
import { type Column, Table } from '../../kit/table/table'
import { ChooseCluster } from '../../parts/choose-cluster'
import { StateText } from '../../parts/state'
import { To, useAddress } from '../../parts/to'
import { fleetAsked } from '../moment'
import { aimedCluster } from '../shape/tabs'
import { LossReason, VolumeReason, WallReason } from './disk-reason'
import { StoreTabs } from './tabs'
import type { Route } from './+types/disks'
import './store.css'

export const meta: Route.MetaFunction = () => [{ title: 'Disks · Gyrarch' }]

export async function loader({ request, context }: Route.LoaderArgs) {
  const fleet = await fleetAsked(context.get(gyrarchContext), request)
  const view = await fleet.view()
  const aimed = aimedCluster(request)
  const cluster = view.clusters.find((candidate) => candidate.name === aimed) ?? null
  const storage = cluster?.storage ?? null
  return {
    keeping: view.clusters.filter((candidate) => candidate.storage).map(({ name }) => name),
    cluster: cluster?.name ?? null,
    answers: cluster?.apiAnswers ?? false,
    storage,
    losses: storage ? lossesOfStorage(storage) : [],
    schedules: (view.snapshotSchedules ?? []).filter((entry) => entry.cluster === cluster?.name),
    now: view.now,
  }
}

const wallHeight = 470

const volumeColumns: readonly Column<VolumeReport>[] = [
  {
    name: 'volume',
    value: (volume) => volume.name,
    show: (volume) => <span className="mono">{volume.name}</span>,
  },
  {
    name: 'state',
    value: volumeState,
    show: (volume) => {
      const state = volumeState(volume)
      const glyph = { whole: 'well', degraded: 'strained', lost: 'broken' } as const
      return <StateText state={glyph[state]}>{state}</StateText>
    },
  },
  { name: 'class', value: (volume) => volume.class },
  {
    name: 'size',
    value: (volume) => volume.bytes,
    show: (volume) => decimalBytesText(volume.bytes),
    number: true,
  },
  {
    name: 'used',
    value: (volume) => volume.usedBytes,
    show: (volume) => `${Math.round((volume.usedBytes / volume.bytes) * 100)} %`,
    number: true,
  },
  { name: 'copies', value: (volume) => volume.copies, number: true },
  {
    name: 'full in days',
    value: (volume) => growthOfVolume(volume).days ?? Infinity,
    show: (volume) => growthOfVolume(volume).days ?? 'never',
    number: true,
  },
]

/** The disks that a loss takes away, by label. */
function goneWith(storage: StorageReport, lose: string): ReadonlySet<string> {
  return new Set(
    storage.disks
      .filter(
        (disk) => disk.zone === lose || disk.node === lose || `${disk.node}/${disk.name}` === lose,
      )
      .map((disk) => `${disk.node}/${disk.name}`),
  )
}

function lossOptions(storage: StorageReport) {
  const zones = [...new Set(storage.disks.map((disk) => disk.zone))].sort()
  const nodes = [...new Set(storage.disks.map((disk) => disk.node))].sort()
  return [
    ...zones.map((zone) => ({ value: zone, says: `zone ${zone}` })),
    ...nodes.map((node) => ({ value: node, says: `node ${node}` })),
    ...storage.disks.map((disk) => ({
      value: `${disk.node}/${disk.name}`,
      says: `disk ${disk.node}/${disk.name}`,
    })),
  ]
}

function Wall({
  storage,
  loss,
  volume,
  go,
  asTable,
}: {
  readonly storage: StorageReport
  readonly loss: Loss | undefined
  readonly volume: VolumeReport | undefined
  readonly go: (query: Readonly<Record<string, string | null>>) => void
  readonly asTable: boolean
}) {
  return (
    <div className="store-page">
      <div className="what-if">
        <b>What if</b>
        <Choice
          label="What is lost"
          hideLabel
          value={loss?.disk ?? ''}
          options={lossOptions(storage)}
          empty="nothing"
          onChange={(lose) => go({ lose: lose === '' ? null : lose, volume: null })}
        />
        <span className="soft">
          is lost · dark is used, light promised · {storage.floorPercent} % stays free above the
          dashed line
        </span>
      </div>
      {asTable ? (
        <Table
          name="volumes"
          columns={volumeColumns}
          rows={storage.volumes}
          id={(row) => row.name}
          selected={volume?.name ?? null}
          onSelect={(row) => go({ volume: row.name })}
          empty="No volume is kept yet: a claim of one of its classes makes the first."
        />
      ) : (
        <DiskWall
          storage={storage}
          height={wallHeight}
          volume={volume?.name ?? null}
          gone={loss ? goneWith(storage, loss.disk) : new Set()}
          lost={new Set(loss?.lost ?? [])}
          degraded={new Set(loss?.degraded ?? [])}
          onVolume={(name) => go({ volume: name })}
        />
      )}
    </div>
  )
}

function headText(storage: StorageReport): string {
  const copies = storage.volumes.reduce((sum, volume) => sum + volume.replicas.length, 0)
  return `${countText(storage.volumes.length, 'volume')} · ${countText(copies, 'copy', 'copies')} · copies travel ${storage.network}`
}

export default function Disks({ loaderData }: Route.ComponentProps) {
  const { cluster, keeping, storage, losses, answers, schedules, now } = loaderData
  const [search] = useSearchParams()
  const navigate = useNavigate()
  const address = useAddress()
  const linkTo = (query: Readonly<Record<string, string | null>>): string =>
    address('/store/disks', { ...Object.fromEntries(search), ...query })
  const go = (query: Readonly<Record<string, string | null>>): void =>
    void navigate(linkTo(query), { preventScrollReset: true })
  const asTable = search.get('table') === 'yes'
  useKey('t', () => go({ table: asTable ? null : 'yes' }))
  const volume = storage?.volumes.find((candidate) => candidate.name === search.get('volume'))
  const loss = losses.find((candidate) => candidate.disk === search.get('lose'))
  return (
    <Page
      title={cluster === null ? 'Disks' : `Disks of ${cluster}`}
      beside={storage ? <span className="soft">{headText(storage)}</span> : null}
      reason={reasonOf()}
    >
      <StoreTabs here="/store/disks" />
      {body()}
    </Page>
  )

  function reasonOf() {
    if (cluster === null || !storage)
      return (
        <>
          <h2>Where each copy lies</h2>
          <p className="soft">
            Disks to scale with the copies on them, what the loss of a disk, a node or a zone would
            cost, and how long it takes until everything is whole again.
          </p>
        </>
      )
    if (volume)
      return (
        <VolumeReason
          cluster={cluster}
          storage={storage}
          volume={volume}
          schedule={schedules.find((entry) => entry.volume === volume.name) ?? null}
          now={now}
        />
      )
    if (loss) return <LossReason cluster={cluster} storage={storage} loss={loss} />
    return <WallReason cluster={cluster} storage={storage} losses={losses} linkTo={linkTo} />
  }

  function body() {
    if (cluster === null)
      return (
        <ChooseCluster
          clusters={keeping}
          path="/store/disks"
          title="Whose disks?"
          says="Copies are kept by a cluster on the disks of its nodes. Point at one."
        />
      )
    if (!storage)
      return (
        <Empty
          title={answers ? 'No copies are kept here' : 'Its API does not answer'}
          first={
            answers ? (
              <To path="/store">Its claims and classes</To>
            ) : (
              <To path={`/clusters/${cluster}`}>Look at {cluster}</To>
            )
          }
        >
          {answers
            ? `No add-on of ${cluster} keeps volumes on the disks of its nodes: its volumes are disks of its site.`
            : `What ${cluster} keeps is not known until its API answers.`}
        </Empty>
      )
    return <Wall storage={storage} loss={loss} volume={volume} go={go} asTable={asTable} />
  }
}
