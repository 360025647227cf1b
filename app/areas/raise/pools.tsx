/** The node pools of a draft. */
import Button from '@mui/material/Button'
import { useContext } from 'react'
import type { SiteView } from '~/core/fleet'
import type { RaiseIntent } from '~/core/provisioning'
import { bytesText } from '~/core/units'
import { NumberIn, SelectIn, SheetContext, TextIn, useFinding } from './fields'
import { WordsField } from '../../kit/words-field'

type Pool = RaiseIntent['pools'][number]

interface PoolField {
  readonly pool: Pool
  readonly path: string
}

/** How many nodes a pool has: so many, or as many as are needed between two bounds. */
function PoolCount({ pool, path }: PoolField) {
  const { set } = useContext(SheetContext)
  const pick = (how: string): void => {
    const { count, range, ...rest } = pool
    const now = count ?? range?.min ?? 1
    set(
      path,
      how === 'by itself'
        ? { ...rest, range: { min: now, max: now + 2 } }
        : { ...rest, count: now },
    )
  }
  return (
    <>
      {pool.range ? (
        <>
          <NumberIn path={`${path}.range.min`} label="At least" value={pool.range.min} width={76} />
          <NumberIn path={`${path}.range.max`} label="At most" value={pool.range.max} width={76} />
        </>
      ) : (
        <NumberIn path={`${path}.count`} label="Nodes" value={pool.count} width={76} />
      )}
      <SelectIn
        path={`${path}.range`}
        label="Scales"
        value={pool.range ? 'by itself' : 'by hand'}
        width={104}
        options={[
          { value: 'by hand', says: 'by hand' },
          { value: 'by itself', says: 'by itself' },
        ]}
        onPick={pick}
      />
    </>
  )
}

function PoolZones({ pool, path, zones }: PoolField & { readonly zones: readonly string[] }) {
  const { set } = useContext(SheetContext)
  const several = pool.zones && pool.zones.length > 1 ? pool.zones.join(', ') : null
  return (
    <SelectIn
      path={`${path}.zones`}
      label="Zones"
      value={pool.zones?.join(', ') ?? 'all'}
      width={130}
      options={[
        { value: 'all', says: 'all in turn' },
        ...zones.map((zone) => ({ value: zone, says: `only ${zone}` })),
        ...(several === null ? [] : [{ value: several, says: several }]),
      ]}
      onPick={(zone) => set(`${path}.zones`, zone === 'all' ? undefined : zone.split(', '))}
    />
  )
}

/** `key=value`, as labels are written. */
function labelOf(text: string): readonly [string, string] {
  const [key = '', ...rest] = text.split('=')
  return [key, rest.join('=')]
}

function PoolMarks({ pool, path }: PoolField) {
  const { set } = useContext(SheetContext)
  return (
    <>
      <WordsField
        mono
        width={205}
        label="Labels"
        value={Object.entries(pool.labels).map(([key, value]) => `${key}=${value}`)}
        placeholder="tier=front"
        onChange={(items) => set(`${path}.labels`, Object.fromEntries(items.map(labelOf)))}
      />
      <WordsField
        mono
        width={205}
        label="Taints"
        value={pool.taints.map((taint) => `${taint.key}=${taint.value}:${taint.effect}`)}
        placeholder="use=storage:NoSchedule"
        onChange={(items) => set(`${path}.taints`, items.map(taintOf))}
      />
    </>
  )
}

function sizeText({ name, cores, memoryBytes, hourly }: SiteView['sizes'][number]): string {
  const price = hourly === null ? '' : `, ${hourly} an hour`
  return `${name}: ${cores} cores, ${bytesText(memoryBytes)}${price}`
}

const nextPool = ({ pools }: RaiseIntent, site: SiteView | undefined): Pool => ({
  name: pools.length === 0 ? 'general' : `pool-${pools.length + 1}`,
  size: site?.sizes[0]?.name ?? '',
  count: 2,
  lifetime: 'on-demand',
  labels: {},
  taints: [],
})

export function Pools({
  intent,
  site,
}: {
  readonly intent: RaiseIntent
  readonly site: SiteView | undefined
}) {
  const { set } = useContext(SheetContext)
  const finding = useFinding('pools')
  const sizes = (site?.sizes ?? []).map((size) => ({ value: size.name, says: sizeText(size) }))
  const add = (): void => set('pools', [...intent.pools, nextPool(intent, site)])
  const remove = (index: number): void =>
    set(
      'pools',
      intent.pools.filter((_, i) => i !== index),
    )
  return (
    <section aria-labelledby="sheet-pools">
      <h2 id="sheet-pools">Node pools</h2>
      {finding?.level === 'stop' ? <p className="field-stop">{finding.says}</p> : null}
      {intent.pools.map((pool, i) => {
        const path = `pools[${i}]`
        return (
          <div className="fields" key={i}>
            <TextIn path={`${path}.name`} label="Name" value={pool.name} width={120} />
            <SelectIn
              path={`${path}.size`}
              label="Size"
              value={pool.size}
              options={sizes}
              width={215}
            />
            <PoolCount pool={pool} path={path} />
            <NumberIn
              path={`${path}.rootDiskGb`}
              label="Root disk, GB"
              value={pool.rootDiskGb}
              width={106}
              max={100_000}
            />
            {site?.kind === 'cloud' ? (
              <SelectIn
                path={`${path}.lifetime`}
                label="Lifetime"
                value={pool.lifetime}
                width={110}
                options={[
                  { value: 'on-demand', says: 'on-demand' },
                  { value: 'spot', says: 'spot' },
                ]}
              />
            ) : null}
            <PoolZones pool={pool} path={path} zones={site?.zones ?? []} />
            <PoolMarks pool={pool} path={path} />
            <Button
              variant="text"
              onClick={() => remove(i)}
              aria-label={`Remove pool ${pool.name}`}
            >
              Remove
            </Button>
          </div>
        )
      })}
      <Button variant="outlined" onClick={add}>
        Add a pool
      </Button>
    </section>
  )
}

/** `key=value:Effect`, as taints are written; what is left out is NoSchedule. */
function taintOf(text: string): RaiseIntent['pools'][number]['taints'][number] {
  const [mark = '', effect = ''] = text.split(':')
  const [key = '', value = ''] = mark.split('=')
  return {
    key,
    value,
    effect: effect === 'PreferNoSchedule' || effect === 'NoExecute' ? effect : 'NoSchedule',
  }
}
