/** What keeps a cluster going: its pools, its certificates, its backups, and how its nodes are kept healthy. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import { useFetcher } from 'react-router'
import type { HealthPolicy } from '~/core/keeping'
import type { State } from '~/core/fleet'
import { bytesText, countText, durationText } from '~/core/units'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'
import { Choice } from '../../kit/choice'
import { Refused } from '../../kit/notice'
import { NumberField } from '../../kit/number-field'
import { Switch } from '../../kit/tick'

export interface KeepingData {
  readonly name: string
  readonly now: string
  readonly managed: boolean
  readonly guarded: boolean
  readonly pools: readonly {
    readonly name: string
    readonly size: string
    readonly count: number
    readonly range: { readonly min: number; readonly max: number } | null
    readonly lifetime: string
  }[]
  readonly sizes: readonly string[]
  readonly certificatesUntil: string | null
  readonly backups: readonly {
    readonly id: string
    readonly at: string
    readonly bytes: number
    readonly objects: number
  }[]
  readonly health: HealthPolicy
}

function PoolLine({
  cluster,
  pool,
  sizes,
}: {
  readonly cluster: string
  readonly pool: KeepingData['pools'][number]
  readonly sizes: readonly string[]
}) {
  const [count, setCount] = useState(pool.count)
  const [size, setSize] = useState(pool.size)
  return (
    <li>
      <span className="mono">{pool.name}</span>
      <span className="soft">
        {countText(pool.count, 'node')} of {pool.size || 'no size'}
        {pool.range ? `, scales ${pool.range.min} to ${pool.range.max}` : ''}
        {pool.lifetime === 'spot' ? ', spot' : ''}
      </span>
      <span className="acts">
        <NumberField
          label={`Nodes of ${pool.name}`}
          hideLabel
          max={1000}
          value={count}
          onChange={(next) => setCount(Math.max(0, Math.trunc(next ?? 0)))}
          width={80}
        />
        <DraftChange
          kind="pool.resize"
          intent={{
            cluster,
            pool: pool.name,
            count: count === pool.count ? pool.count + 1 : count,
          }}
        >
          Draft {countText(count === pool.count ? pool.count + 1 : count, 'node')}
        </DraftChange>
        {sizes.length > 1 ? (
          <>
            <Choice
              label={`Size of ${pool.name}`}
              hideLabel
              mono
              value={size}
              options={sizes}
              onChange={setSize}
              width={160}
            />
            <DraftChange
              kind="pool.edit"
              intent={{ cluster, pool: pool.name, size }}
              disabled={size === pool.size || pool.count === 0}
              title={
                pool.count === 0
                  ? 'It has no node to replace'
                  : 'Replaces its nodes one after another'
              }
            >
              Turn over
            </DraftChange>
          </>
        ) : null}
      </span>
    </li>
  )
}

const certificateState = (days: number | null): State => {
  if (days === null) return 'unknown'
  if (days < 0) return 'broken'
  return days < 30 ? 'strained' : 'well'
}

function certificateText(days: number | null): string {
  if (days === null) return 'unknown'
  return days < 0 ? `ended ${countText(-days, 'day')} ago` : `for ${countText(days, 'more day')}`
}

function Certificates({
  name,
  now,
  managed,
  certificatesUntil,
}: Pick<KeepingData, 'name' | 'now' | 'managed' | 'certificatesUntil'>) {
  const days =
    certificatesUntil === null
      ? null
      : Math.floor((Date.parse(certificatesUntil) - Date.parse(now)) / 86_400_000)
  const state = certificateState(days)
  return (
    <section aria-label="Certificates" style={{ marginTop: 20 }}>
      <h2>
        <StateGlyph state={state} title={state} /> Certificates {certificateText(days)}
      </h2>
      <p className="soft">
        API and agents, until {certificatesUntil?.slice(0, 10) ?? 'nobody told'}
        {managed ? '; its cloud renews them by itself' : ''}.
      </p>
      <div className="acts" style={{ marginTop: 6 }}>
        <DraftChange
          kind="cluster.renew-certificates"
          intent={{ cluster: name }}
          variant={days !== null && days < 30 ? 'contained' : 'outlined'}
        >
          Draft renewing them
        </DraftChange>
      </div>
    </section>
  )
}

function Backups({ name, now, backups }: Pick<KeepingData, 'name' | 'now' | 'backups'>) {
  const stamp = now.slice(0, 16).replace(/[-:T]/g, '')
  return (
    <section aria-label="Backups" style={{ marginTop: 20 }}>
      <h2>Control-plane data</h2>
      <ul className="site-lines">
        {[...backups].reverse().map((backup) => (
          <li key={backup.id}>
            <span className="mono">{backup.id}</span>
            <span className="soft">
              {backup.at.slice(0, 16).replace('T', ' ')}, {countText(backup.objects, 'object')},{' '}
              {bytesText(backup.bytes)}
            </span>
            <DraftChange
              kind="cluster.restore"
              intent={{ cluster: name, backup: backup.id }}
              variant="text"
            >
              Draft restoring it
            </DraftChange>
          </li>
        ))}
        {backups.length === 0 ? <li className="soft">No backup was taken yet.</li> : null}
      </ul>
      <DraftChange kind="cluster.backup" intent={{ cluster: name, backup: `${name}-${stamp}` }}>
        Draft a backup, tried before it is trusted
      </DraftChange>
    </section>
  )
}

/** What health keeping does as it is set now. */
function healthText(health: HealthPolicy, guarded: boolean): string {
  if (!health.enabled) return 'Off: a node that is not ready waits for a person.'
  const then =
    guarded && !health.replaceGuarded
      ? 'if that does not help, a person is asked, because the cluster is guarded'
      : `if that does not help, its machine is replaced, at most ${countText(health.mostReplacedPerDay, 'machine')} a day`
  return `A node that is not ready for ${durationText(health.afterSeconds)} is restarted; ${then}. At most ${Math.round(health.mostShare * 100)} % of the nodes at once; nodes that fell silent together are left alone.`
}

const isSame = (a: HealthPolicy, b: HealthPolicy): boolean =>
  a.enabled === b.enabled &&
  a.afterSeconds === b.afterSeconds &&
  a.mostShare === b.mostShare &&
  a.mostReplacedPerDay === b.mostReplacedPerDay &&
  a.replaceGuarded === b.replaceGuarded

function Health({ health, guarded }: Pick<KeepingData, 'health' | 'guarded'>) {
  const fetcher = useFetcher<{ refused?: string | null }>()
  const [policy, setPolicy] = useState(health)
  const set = (changes: Partial<HealthPolicy>): void => setPolicy({ ...policy, ...changes })
  const keep = (): void =>
    void fetcher.submit({ do: 'health', policy: JSON.stringify(policy) }, { method: 'post' })
  return (
    <section aria-label="Health keeping" style={{ marginTop: 20, paddingBottom: 20 }}>
      <h2>Health keeping</h2>
      <p className="soft">{healthText(health, guarded)}</p>
      <div className="acts" style={{ marginTop: 8 }}>
        <Switch
          label="On"
          says="Health keeping"
          checked={policy.enabled}
          onChange={(enabled) => set({ enabled })}
        />
        <NumberField
          label="After seconds"
          min={30}
          max={86_400}
          value={policy.afterSeconds}
          onChange={(seconds) => set({ afterSeconds: seconds ?? 30 })}
        />
        <NumberField
          label="At most % at once"
          min={1}
          max={100}
          value={Math.round(policy.mostShare * 100)}
          width={130}
          onChange={(percent) => set({ mostShare: (percent ?? 1) / 100 })}
        />
        <NumberField
          label="Replaced in a day, at most"
          max={1000}
          value={policy.mostReplacedPerDay}
          width={190}
          onChange={(count) => set({ mostReplacedPerDay: count ?? 0 })}
        />
        {guarded ? (
          <Switch
            label="Replaces machines"
            says="Machines are replaced although the cluster is guarded"
            checked={policy.replaceGuarded}
            onChange={(replaceGuarded) => set({ replaceGuarded })}
          />
        ) : null}
        <Button
          variant="outlined"
          disabled={isSame(policy, health) || fetcher.state !== 'idle'}
          onClick={keep}
        >
          Keep it so
        </Button>
      </div>
      <Refused says={fetcher.data?.refused} />
    </section>
  )
}

export function Keeping(data: KeepingData) {
  const { name, pools, sizes } = data
  return (
    <div className="scroll" tabIndex={0} role="region" aria-label={`Keeping ${name}`}>
      <section aria-label="Pools">
        <h2>Pools</h2>
        <ul className="site-lines">
          {pools.map((pool) => (
            <PoolLine
              key={`${pool.name}${pool.count}${pool.size}`}
              cluster={name}
              pool={pool}
              sizes={sizes}
            />
          ))}
          {pools.length === 0 ? (
            <li className="soft">No pool: its control-plane machines run its pods.</li>
          ) : null}
        </ul>
      </section>
      <Certificates {...data} />
      <Backups {...data} />
      <Health health={data.health} guarded={data.guarded} />
    </div>
  )
}
