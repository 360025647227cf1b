/** The parts of the draft sheet that depend on the kind of site. */
import Button from '@mui/material/Button'
import { useContext } from 'react'
import type { BoxView, SiteView } from '~/core/fleet'
import type { RaiseIntent } from '~/core/provisioning'
import { bytesText, numberText } from '~/core/units'
import { AddressStrip } from '../../drawings/address-strip'
import { NumberIn, SelectIn, SheetContext, TextIn, useFinding } from './fields'
import { Pick } from '../../kit/pick'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { WordsField } from '../../kit/words-field'

export function Pools({
  intent,
  site,
}: {
  readonly intent: RaiseIntent
  readonly site: SiteView | undefined
}) {
  const { set } = useContext(SheetContext)
  const finding = useFinding('pools')
  const sizes = (site?.sizes ?? []).map((size) => ({
    value: size.name,
    says: `${size.name}: ${size.cores} cores, ${bytesText(size.memoryBytes)}${size.hourly === null ? '' : `, ${size.hourly} an hour`}`,
  }))
  const add = (): void =>
    set('pools', [
      ...intent.pools,
      {
        name: intent.pools.length === 0 ? 'general' : `pool-${intent.pools.length + 1}`,
        size: site?.sizes[0]?.name ?? '',
        count: 2,
        lifetime: 'on-demand',
        labels: {},
        taints: [],
      },
    ])
  return (
    <section aria-labelledby="sheet-pools">
      <h2 id="sheet-pools">Node pools</h2>
      {finding?.level === 'stop' ? <p className="field-stop">{finding.says}</p> : null}
      {intent.pools.map((pool, i) => (
        <div className="fields" key={i}>
          <TextIn path={`pools[${i}].name`} label="Name" value={pool.name} width={120} />
          <SelectIn
            path={`pools[${i}].size`}
            label="Size"
            value={pool.size}
            options={sizes}
            width={215}
          />
          {pool.range ? (
            <>
              <NumberIn
                path={`pools[${i}].range.min`}
                label="At least"
                value={pool.range.min}
                width={76}
              />
              <NumberIn
                path={`pools[${i}].range.max`}
                label="At most"
                value={pool.range.max}
                width={76}
              />
            </>
          ) : (
            <NumberIn path={`pools[${i}].count`} label="Nodes" value={pool.count} width={76} />
          )}
          <SelectIn
            path={`pools[${i}].range`}
            label="Scales"
            value={pool.range ? 'by itself' : 'by hand'}
            width={104}
            options={[
              { value: 'by hand', says: 'by hand' },
              { value: 'by itself', says: 'by itself' },
            ]}
            onPick={(how) => {
              const { count, range, ...rest } = pool
              const now = count ?? range?.min ?? 1
              set(
                `pools[${i}]`,
                how === 'by itself'
                  ? { ...rest, range: { min: now, max: Math.max(now, now + 2) } }
                  : { ...rest, count: now },
              )
            }}
          />
          <NumberIn
            path={`pools[${i}].rootDiskGb`}
            label="Root disk, GB"
            value={pool.rootDiskGb}
            width={106}
            max={100_000}
          />
          {site?.kind === 'cloud' ? (
            <SelectIn
              path={`pools[${i}].lifetime`}
              label="Lifetime"
              value={pool.lifetime}
              width={110}
              options={[
                { value: 'on-demand', says: 'on-demand' },
                { value: 'spot', says: 'spot' },
              ]}
            />
          ) : null}
          <SelectIn
            path={`pools[${i}].zones`}
            label="Zones"
            value={pool.zones?.join(', ') ?? 'all'}
            width={130}
            options={[
              { value: 'all', says: 'all in turn' },
              ...(site?.zones ?? []).map((zone) => ({ value: zone, says: `only ${zone}` })),
              ...(pool.zones && pool.zones.length > 1
                ? [{ value: pool.zones.join(', '), says: pool.zones.join(', ') }]
                : []),
            ]}
            onPick={(zone) =>
              set(`pools[${i}].zones`, zone === 'all' ? undefined : zone.split(', '))
            }
          />
          <WordsField
            mono
            width={205}
            label="Labels"
            value={Object.entries(pool.labels).map(([key, value]) => `${key}=${value}`)}
            placeholder="tier=front"
            onChange={(items) =>
              set(
                `pools[${i}].labels`,
                Object.fromEntries(
                  items.map((item) => [
                    item.split('=')[0] ?? '',
                    item.split('=').slice(1).join('='),
                  ]),
                ),
              )
            }
          />
          <WordsField
            mono
            width={205}
            label="Taints"
            value={pool.taints.map((taint) => `${taint.key}=${taint.value}:${taint.effect}`)}
            placeholder="use=storage:NoSchedule"
            onChange={(items) => set(`pools[${i}].taints`, items.map(taintOf))}
          />
          <Button
            variant="text"
            onClick={() =>
              set(
                'pools',
                intent.pools.filter((_, otherPool) => otherPool !== i),
              )
            }
            aria-label={`Remove pool ${pool.name}`}
          >
            Remove
          </Button>
        </div>
      ))}
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

function Disks({
  box,
  machine,
  index,
}: {
  readonly box: BoxView
  readonly machine: RaiseIntent['machines'][number]
  readonly index: number
}) {
  const { set } = useContext(SheetContext)
  const finding = useFinding(`machines[${index}].disk`)
  return (
    <PlainTable
      label={`Disks of ${box.name}`}
      className="disks"
      heads={[
        'Install on',
        'Stable identifier',
        { key: 'size', says: 'Size', number: true },
        'Holds',
      ]}
    >
      {box.disks.map((disk) => {
        const chosen = machine.disk === disk.identifier
        return (
          <Row key={disk.identifier} data-wrong={chosen && finding?.level === 'stop'}>
            <Cell>
              <Pick
                name={`disk-${index}`}
                says={`Install on ${disk.identifier}`}
                label={
                  <>
                    <span className="mono">{disk.shownAs}</span> today
                  </>
                }
                checked={chosen}
                onChange={() => set(`machines[${index}].disk`, disk.identifier)}
              />
            </Cell>
            <Cell className="mono">{disk.identifier}</Cell>
            <Cell className="number">{numberText(disk.sizeGb)} GB</Cell>
            <Cell>
              {disk.removable ? 'removable, ' : ''}
              {disk.holds ?? 'blank'}
              {machine.wipe === disk.identifier ? (
                <Button variant="text" onClick={() => set(`machines[${index}].wipe`, undefined)}>
                  keep it after all
                </Button>
              ) : null}
            </Cell>
          </Row>
        )
      })}
    </PlainTable>
  )
}

export function Boxes({
  intent,
  site,
}: {
  readonly intent: RaiseIntent
  readonly site: SiteView | undefined
}) {
  const finding = useFinding('machines')
  return (
    <section aria-labelledby="sheet-boxes">
      <h2 id="sheet-boxes">{intent.machines.length === 1 ? 'The box' : 'Machines'}</h2>
      {finding?.level === 'stop' ? <p className="field-stop">{finding.says}</p> : null}
      {intent.machines.map((machine, i) => {
        const box = site?.boxes.find((box) => box.name === machine.machine)
        const cards = (box?.cards ?? []).map((card) => ({
          value: card.name,
          says: `${card.name}, ${card.network ?? card.address ?? 'no address'}${card.sharedWith ? ` (shared with ${card.sharedWith})` : ''}`,
        }))
        return (
          <div key={i}>
            <div className="fields">
              <SelectIn
                path={`machines[${i}].machine`}
                label="Machine"
                value={machine.machine}
                options={(site?.boxes ?? []).map((otherBox) => ({
                  value: otherBox.name,
                  says: `${otherBox.name}, ${otherBox.cores} cores`,
                }))}
                width={170}
              />
              <TextIn
                path={`machines[${i}].nodeName`}
                label="Node name"
                value={machine.nodeName}
                width={140}
              />
              <SelectIn
                path={`machines[${i}].card`}
                label="Network card"
                value={machine.card ?? ''}
                options={cards}
                width={220}
              />
              <TextIn
                path={`machines[${i}].address`}
                label="Address"
                value={machine.address ?? ''}
                width={160}
                help={machine.address ? '' : 'the lowest free one'}
              />
            </div>
            {box ? <Disks box={box} machine={machine} index={i} /> : null}
            <div className="fields" style={{ marginTop: 14 }}>
              <TextIn
                path={`machines[${i}].disk`}
                label="Install disk"
                value={machine.disk ?? ''}
                width={360}
              />
            </div>
          </div>
        )
      })}
    </section>
  )
}

export function HallNetworks({
  intent,
  site,
}: {
  readonly intent: RaiseIntent
  readonly site: SiteView
}) {
  const { set } = useContext(SheetContext)
  const management = site.networks.find(
    (network) =>
      network.name ===
      (intent.networks.management ??
        site.networks.find((otherNetwork) => otherNetwork.role === 'management')?.name),
  )
  return (
    <section aria-labelledby="sheet-networks">
      <h2 id="sheet-networks">Networks</h2>
      <div className="fields">
        <SelectIn
          path="networks.management"
          label="Control plane on"
          value={management?.name ?? ''}
          options={site.networks
            .filter((network) => network.role === 'management')
            .map((network) => ({ value: network.name, says: network.name }))}
          width={190}
        />
        <StaticAddresses
          value={intent.networks.staticAddresses ?? []}
          onChange={(addresses) =>
            set('networks.staticAddresses', addresses.length === 0 ? undefined : addresses)
          }
        />
        <TextIn
          path="networks.virtualAddresses"
          label="Virtual addresses"
          value={intent.networks.virtualAddresses ?? ''}
          width={210}
          help="for services; empty: none set apart"
        />
      </div>
      {management ? (
        <div style={{ marginTop: 8 }}>
          <AddressStrip
            range={management.range}
            label={management.name}
            holders={[
              ...(management.dhcp === undefined
                ? []
                : [{ name: 'DHCP', range: management.dhcp, inner: true }]),
              ...site.addresses
                .filter((held) => held.network === management.name)
                .map((held) => ({ name: held.for, range: held.address })),
              ...(intent.networks.staticAddresses ?? []).map((address, i) => ({
                name: i === 0 ? 'API here' : `here ${i}`,
                range: address,
                mine: true,
              })),
            ]}
          />
        </div>
      ) : null}
    </section>
  )
}

function StaticAddresses({
  value,
  onChange,
}: {
  readonly value: readonly string[]
  readonly onChange: (addresses: readonly string[]) => void
}) {
  const finding = useFinding('networks.staticAddresses')
  return (
    <WordsField
      label="Static addresses: API, machines, spare"
      mono
      rows={2}
      width={330}
      value={value}
      placeholder="the lowest free ones"
      error={finding?.level === 'stop' ? finding.says : null}
      onChange={onChange}
    />
  )
}
