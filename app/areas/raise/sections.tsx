/** The parts of the draft sheet that depend on the kind of site. */
import Button from '@mui/material/Button'
import { useContext } from 'react'
import type { BoxView, SiteView } from '~/core/fleet'
import type { RaiseIntent } from '~/core/provisioning'
import { numberText } from '~/core/units'
import { AddressStrip } from '../../drawings/address-strip'
import { SelectIn, SheetContext, TextIn, useFinding } from './fields'
import { Pick } from '../../kit/pick'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { WordsField } from '../../kit/words-field'

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
