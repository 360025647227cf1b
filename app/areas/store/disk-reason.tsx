/** What the reason panel says about disks: of a volume that is chosen, of a loss that is thought of, or of all of them. */
import { Link } from 'react-router'
import type { StorageReport, VolumeReport } from '~/core/contract'
import { growthOfVolume, type Loss, plannedBytes, volumeState } from '~/core/storage'
import { countText, decimalBytesText, durationText, GB, listText } from '~/core/units'
import { TimeChart } from '../../kit/chart/chart'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'
import { type OfVolume, VolumeActs } from './volume-acts'
import { RowFacts, type RowFact } from './row-facts'

const tight = 30

function growthText(volume: VolumeReport): string {
  const { perDay, days } = growthOfVolume(volume)
  if (perDay === null || days === null) return 'does not grow'
  return `${decimalBytesText(perDay)} a day, full in ${countText(days, 'day')}`
}

const stateHeads = { whole: 'Every copy whole', degraded: 'Lacks a copy', lost: 'Lost' } as const
const stateWords = { whole: 'well', degraded: 'strained', lost: 'broken' } as const

function copyText(copy: VolumeReport['replicas'][number]): string {
  if (copy.state === 'gone') return `gone: ${copy.reason}`
  if (copy.state === 'copying')
    return copy.until === null ? 'waits to be copied' : `whole at ${copy.until.slice(11, 16)}`
  return copy.slowness > 1 ? `whole, ${copy.slowness} times as slow as usual` : 'whole'
}

function Fill({ volume }: { readonly volume: VolumeReport }) {
  const times = volume.samples.map(({ at }) => Date.parse(at))
  return (
    <div>
      <h3>Fill</h3>
      <p>
        {decimalBytesText(volume.usedBytes)} of {decimalBytesText(volume.bytes)},{' '}
        {growthText(volume)}
      </p>
      <TimeChart
        label={`Used bytes of ${volume.name} over ${countText(volume.samples.length, 'day')}: ${growthText(volume)}`}
        times={times}
        curves={[
          {
            name: 'used',
            axis: 'left',
            token: '--petrol',
            values: volume.samples.map(({ usedBytes }) => usedBytes / GB),
          },
          {
            name: 'size',
            axis: 'left',
            token: '--ink-soft',
            isDashed: true,
            values: volume.samples.map(() => volume.bytes / GB),
          },
        ]}
        left="GB"
        right=""
        height={140}
      />
    </div>
  )
}

export function VolumeReason({ cluster, storage, volume, schedule, now }: OfVolume) {
  const state = volumeState(volume)
  return (
    <>
      <div>
        <div className="about">
          <span className="mono" data-copy={volume.name}>
            {volume.name}
          </span>
          <span>volume · {volume.class}</span>
        </div>
        <h2>
          <StateGlyph state={stateWords[state]} /> {stateHeads[state]}
        </h2>
      </div>
      <RowFacts
        rows={volume.replicas.map((copy): RowFact => ({
          key: `${copy.node}/${copy.disk}`,
          value: copyText(copy),
        }))}
      />
      <div>
        <h3>Who would be hit</h3>
        {volume.attached.length === 0 ? (
          <p className="soft">No pod uses it now.</p>
        ) : (
          <RowFacts rows={volume.attached.map(({ pod, node }) => ({ key: pod, value: node }))} />
        )}
        <p className="soft">{volume.claim === null ? 'No claim' : `claim ${volume.claim}`}</p>
      </div>
      <Fill volume={volume} />
      <div>
        <h3>Snapshots</h3>
        <p className="soft">
          {volume.snapshots.length === 0
            ? 'None is kept'
            : `${countText(volume.snapshots.length, 'snapshot')}, the newest ${volume.snapshots.at(-1)?.name ?? ''}`}
          {schedule ? `; taken by themselves, ${schedule.keep} kept` : ''}.
        </p>
      </div>
      <VolumeActs
        cluster={cluster}
        storage={storage}
        volume={volume}
        schedule={schedule}
        now={now}
      />
    </>
  )
}

interface OfLoss {
  readonly cluster: string
  readonly storage: StorageReport
  readonly loss: Loss
}

function LostVolumes({ cluster, storage, loss }: OfLoss) {
  const volumeNamed = (name: string) => storage.volumes.find((volume) => volume.name === name)
  return (
    <div>
      <h3>Lost</h3>
      {loss.lost.length === 0 ? (
        <p>
          <StateGlyph state="well" /> Nothing: every volume has a copy elsewhere.
        </p>
      ) : (
        loss.lost.map((name) => {
          const volume = volumeNamed(name)
          return (
            <div key={name} className="lost-volume">
              <p>
                <StateGlyph state="broken" /> <b className="mono">{name}</b>,{' '}
                {decimalBytesText(volume?.bytes ?? 0)}
              </p>
              <p className="soft">
                {volume?.attached.length
                  ? `used by ${listText(volume.attached.map(({ pod }) => pod))}`
                  : 'no pod uses it now'}
              </p>
              <DraftChange
                kind="volume.copies"
                intent={{ cluster, volume: name, copies: (volume?.copies ?? 1) + 1 }}
                variant="contained"
              >
                {`Keep ${(volume?.copies ?? 1) + 1} copies`}
              </DraftChange>
            </div>
          )
        })
      )}
    </div>
  )
}

function WholeAgain({ storage, loss }: Pick<OfLoss, 'storage' | 'loss'>) {
  if (loss.copyBytes === 0 && loss.whole) return null
  return (
    <div>
      <h3>Whole again</h3>
      {loss.copyBytes === 0 ? null : (
        <RowFacts
          rows={[
            { key: 'to copy', value: decimalBytesText(loss.copyBytes) },
            ...storage.networks.map((network) => ({
              key: `over ${network.name}`,
              value: durationText(
                Math.ceil((loss.seconds * storage.rebuild.bytesPerSecond) / network.bytesPerSecond),
              ),
            })),
          ]}
        />
      )}
      {loss.whole ? null : (
        <p>
          <StateGlyph state="strained" />{' '}
          {loss.copyBytes === 0
            ? 'Nothing can be copied: no other disk that may hold these copies has room.'
            : 'Not all: some copies find no other disk that may hold them.'}
        </p>
      )}
    </div>
  )
}

export function LossReason({ cluster, storage, loss }: OfLoss) {
  const volumeNamed = (name: string) => storage.volumes.find((volume) => volume.name === name)
  /** Whole copies that would be left of a volume. */
  const leftOf = (volume: VolumeReport | undefined): number =>
    (volume?.replicas ?? []).filter((copy) => {
      const zone = storage.disks.find((disk) => disk.node === copy.node)?.zone
      const lost = [zone, copy.node, `${copy.node}/${copy.disk}`].includes(loss.disk)
      return !lost && copy.state === 'whole'
    }).length
  const gone = storage.disks.find((disk) => `${disk.node}/${disk.name}` === loss.disk)
  return (
    <>
      <div>
        <h2>
          Without <span className="mono">{loss.disk}</span>
        </h2>
        <p className="soft">computed as the copying would run</p>
      </div>
      <LostVolumes cluster={cluster} storage={storage} loss={loss} />
      {loss.degraded.length === 0 ? null : (
        <div>
          <h3>Degraded, still served</h3>
          <RowFacts
            rows={loss.degraded.map((name) => ({
              key: name,
              value: `${leftOf(volumeNamed(name))} of ${countText(volumeNamed(name)?.copies ?? 0, 'copy', 'copies')}`,
            }))}
          />
        </div>
      )}
      <WholeAgain storage={storage} loss={loss} />
      {gone && gone.state === 'ready' ? (
        <div className="acts">
          <DraftChange kind="disk.retire" intent={{ cluster, node: gone.node, disk: gone.name }}>
            Empty it and give it back
          </DraftChange>
        </div>
      ) : null}
    </>
  )
}

type LinkTo = (query: Readonly<Record<string, string>>) => string

/** What is next to go wrong: last copies, and what fills up first. */
function Outlook({
  storage,
  losses,
  linkTo,
}: {
  readonly storage: StorageReport
  readonly losses: readonly Loss[]
  readonly linkTo: LinkTo
}) {
  const costly = losses.filter((loss) => loss.lost.length > 0)
  const filling = storage.volumes
    .map((volume) => ({ volume, days: growthOfVolume(volume).days }))
    .filter((entry): entry is { volume: VolumeReport; days: number } => entry.days !== null)
    .sort((a, b) => a.days - b.days)
  return (
    <>
      <div>
        <h3>One loss away from gone</h3>
        {costly.length === 0 ? (
          <p className="soft">No single disk, node or zone takes the last copy of anything.</p>
        ) : (
          <RowFacts
            rows={costly.slice(0, 6).map((loss) => ({
              key: loss.disk,
              value: listText(loss.lost, 2),
              to: linkTo({ lose: loss.disk }),
            }))}
          />
        )}
      </div>
      <div>
        <h3>Full first</h3>
        {filling.length === 0 ? (
          <p className="soft">No volume grows.</p>
        ) : (
          <RowFacts
            rows={filling.slice(0, 4).map(({ volume, days }) => ({
              key: volume.name,
              value: `${days < tight ? 'only ' : ''}${countText(days, 'day')}`,
              to: linkTo({ volume: volume.name }),
            }))}
          />
        )}
      </div>
    </>
  )
}

export function WallReason({
  cluster,
  storage,
  losses,
  linkTo,
}: {
  readonly cluster: string
  readonly storage: StorageReport
  readonly losses: readonly Loss[]
  readonly linkTo: LinkTo
}) {
  const hurt = storage.volumes.filter((volume) => volumeState(volume) !== 'whole')
  const bytes = storage.disks.reduce((sum, disk) => sum + disk.bytes, 0)
  const planned = storage.disks.reduce((sum, disk) => sum + plannedBytes(storage, disk), 0)
  const used = bytes - storage.disks.reduce((sum, disk) => sum + disk.freeBytes, 0)
  const percent = (part: number): string =>
    `${Math.round((part / Math.max(1, bytes)) * 100)} % of ${decimalBytesText(bytes)}`
  return (
    <>
      <div>
        <h2>
          <StateGlyph state={hurt.length === 0 ? 'well' : 'strained'} />{' '}
          {hurt.length === 0
            ? 'Every volume has all its copies'
            : `${countText(hurt.length, 'volume lacks', 'volumes lack')} a copy`}
        </h2>
        <RowFacts
          rows={[
            ...hurt.map((volume) => ({
              key: volume.name,
              value: `${volume.replicas.filter((copy) => copy.state === 'whole').length} of ${volume.copies} whole`,
            })),
            { key: 'promised', value: percent(planned) },
            { key: 'used', value: percent(used) },
            { key: 'kept free', value: `${storage.floorPercent} % of each disk` },
          ]}
        />
      </div>
      <Outlook storage={storage} losses={losses} linkTo={linkTo} />
      <div className="acts">
        <DraftChange
          kind="disk.add"
          intent={{ cluster, node: storage.disks[0]?.node ?? '', disk: 'bay-2', gigabytes: 1200 }}
        >
          Add a disk
        </DraftChange>
        <Link to={linkTo({ table: 'yes' })} className="soft">
          As a table
        </Link>
      </div>
    </>
  )
}
