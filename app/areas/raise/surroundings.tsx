/** The parts of a draft that few need and nobody should have to write by hand: what surrounds the machines. */
import Button from '@mui/material/Button'
import { useContext } from 'react'
import type { SiteView } from '~/core/fleet'
import type { RaiseIntent } from '~/core/provisioning'
import { countText, bytesText, listText, numberText } from '~/core/units'
import { StateGlyph } from '../../parts/state'
import { To } from '../../parts/to'
import { CheckIn, NumberIn, SelectIn, SheetContext, TextIn, useFinding } from './fields'
import { Field } from '../../kit/field'
import { WordsField } from '../../kit/words-field'

function ListIn({
  path,
  label,
  value,
  placeholder,
  width = 300,
}: {
  readonly path: string
  readonly label: string
  readonly value: readonly string[]
  readonly placeholder: string
  readonly width?: number
}) {
  const { set } = useContext(SheetContext)
  const finding = useFinding(path)
  return (
    <WordsField
      label={label}
      mono
      value={value}
      placeholder={placeholder}
      width={width}
      error={finding?.level === 'stop' ? finding.says : null}
      onChange={(words) => set(path, words.length === 0 ? undefined : words)}
    />
  )
}

export function Surroundings({
  intent,
  site,
}: {
  readonly intent: RaiseIntent
  readonly site: SiteView | undefined
}) {
  const { set } = useContext(SheetContext)
  const services = intent.services
  const own = intent.controlPlane.kind === 'own'
  const classes = (site?.storageClasses ?? []).map((storageClass) => ({
    value: storageClass.name,
    says: `${storageClass.name}${site && storageClass.zones.length < site.zones.length ? `, only ${listText(storageClass.zones)}` : ''}`,
  }))
  return (
    <details
      className="more"
      open={Boolean(
        services ?? intent.security ?? intent.names ?? intent.storageClass ?? intent.bootData,
      )}
    >
      <summary>
        <h2>Around the machines</h2>{' '}
        <span className="soft">
          names, time, proxy, authorities, storage class, secrets, boot data
        </span>
      </summary>
      <div className="fields">
        <SelectIn
          path="storageClass"
          label="Storage class"
          value={intent.storageClass ?? ''}
          options={classes}
          empty="none chosen"
          width={190}
          onPick={(value) => set('storageClass', value === '' ? undefined : value)}
        />
        <TextIn
          path="names.api"
          label="Name of the API"
          value={intent.names?.api ?? ''}
          width={210}
          help={site?.nameDomain ? `like api.${intent.name || 'oak'}.${site.nameDomain}` : 'none'}
        />
        {site?.kind === 'edge' ? null : (
          <TextIn
            path="names.ingress"
            label="Name of what comes in"
            value={intent.names?.ingress ?? ''}
            width={210}
          />
        )}
        <NumberIn path="services.mtu" label="MTU" value={services?.mtu} width={150} max={9216} />
      </div>
      <div className="fields">
        <ListIn
          path="services.timeServers"
          label="Time servers"
          value={services?.timeServers ?? []}
          placeholder={site?.timeServers.map((server) => server.name).join(' ') || 'the site’s own'}
        />
        <ListIn
          path="services.nameServers"
          label="Name servers"
          value={services?.nameServers ?? []}
          placeholder={
            site?.nameServers.map((server) => server.address).join(' ') || 'what DHCP hands out'
          }
          width={180}
        />
        <TextIn
          path="services.registryMirror"
          label="Image mirror"
          value={services?.registryMirror ?? ''}
          width={220}
        />
      </div>
      <div className="fields">
        <TextIn
          path="services.webProxy.url"
          label="Web proxy"
          value={services?.webProxy?.url ?? ''}
          width={230}
          help="empty: none"
        />
        {services?.webProxy ? (
          <ListIn
            path="services.webProxy.except"
            label="Except"
            value={services.webProxy.except}
            placeholder="localhost .svc 10.0.0.0/8"
            width={260}
          />
        ) : null}
        {services?.webProxy ? (
          <Button variant="text" onClick={() => set('services.webProxy', undefined)}>
            No proxy
          </Button>
        ) : null}
      </div>
      {(services?.authorities ?? []).map((authority, i) => (
        <div className="fields" key={i}>
          <TextIn
            path={`services.authorities[${i}].name`}
            label="Authority"
            value={authority.name}
            width={170}
          />
          <Pem index={i} value={authority.pem} />
          <Button
            variant="text"
            onClick={() =>
              set(
                'services.authorities',
                (services?.authorities ?? []).filter((_, otherAuthority) => otherAuthority !== i),
              )
            }
          >
            Remove
          </Button>
        </div>
      ))}
      <Button
        variant="outlined"
        onClick={() =>
          set('services.authorities', [...(services?.authorities ?? []), { name: '', pem: '' }])
        }
      >
        Trust a certificate authority
      </Button>
      {own ? (
        <div className="fields" style={{ marginTop: 10 }}>
          <CheckIn
            path="security.encryptSecrets"
            label="Encrypt secrets at rest"
            value={intent.security?.encryptSecrets ?? true}
          />
          <SelectIn
            path="security.auditPolicy"
            label="Audit"
            value={intent.security?.auditPolicy ?? 'metadata'}
            width={170}
            options={[
              { value: 'none', says: 'none' },
              { value: 'metadata', says: 'who did what' },
              { value: 'requests', says: 'with request bodies' },
            ]}
          />
          <TextIn
            path="security.identityProvider.issuer"
            label="Identity provider"
            value={intent.security?.identityProvider?.issuer ?? ''}
            width={230}
            help="issuer address; empty: none"
          />
          {intent.security?.identityProvider ? (
            <TextIn
              path="security.identityProvider.client"
              label="Client"
              value={intent.security.identityProvider.client}
              width={130}
            />
          ) : null}
        </div>
      ) : (
        <p className="soft" style={{ margin: '10px 0' }}>
          Secrets at rest, audit and sign-in of a managed control plane are its cloud’s.
        </p>
      )}
      <div className="fields">
        <SelectIn
          path="bootData.handOver"
          label="Boot data"
          value={intent.bootData?.handOver ?? 'inline'}
          width={220}
          options={[
            {
              value: 'inline',
              says: `whole${site?.bootData.limitBytes ? `, up to ${bytesText(site.bootData.limitBytes)}` : ''}`,
            },
            { value: 'published', says: 'by a pointer, always' },
          ]}
        />
        {site?.kind === 'hall' ? (
          <SelectIn
            path="networks.addressing"
            label="Workers’ addresses"
            value={intent.networks.addressing ?? 'dhcp'}
            width={150}
            options={[
              { value: 'dhcp', says: 'by DHCP' },
              { value: 'static', says: 'held statically' },
            ]}
          />
        ) : null}
        {site?.kind === 'cloud' ? (
          <SelectIn
            path="networks.nodeAddresses"
            label="Nodes outside"
            value={intent.networks.nodeAddresses ?? 'private'}
            width={220}
            options={[
              { value: 'private', says: 'not reachable' },
              { value: 'public', says: 'with public addresses' },
            ]}
          />
        ) : null}
        {site?.kind === 'cloud' ? (
          <SelectIn
            path="networks.frontage"
            label="Load balancer"
            value={intent.networks.frontage ?? ''}
            width={240}
            empty="none"
            options={site.networks
              .filter((network) => network.role === 'frontage')
              .map((network) => ({ value: network.name, says: network.name }))}
            onPick={(value) => set('networks.frontage', value === '' ? undefined : value)}
          />
        ) : null}
        {own && site?.kind !== 'edge' && intent.machines.length === 0 ? (
          <SelectIn
            path="controlPlane.begins"
            label="Begins on"
            value={
              intent.controlPlane.kind === 'own'
                ? (intent.controlPlane.begins ?? 'first-machine')
                : ''
            }
            width={190}
            options={[
              { value: 'first-machine', says: 'its first machine' },
              { value: 'temporary-machine', says: 'a machine that goes again' },
            ]}
          />
        ) : null}
      </div>
    </details>
  )
}

function Pem({ index, value }: { readonly index: number; readonly value: string }) {
  const { set } = useContext(SheetContext)
  const finding = useFinding(`services.authorities[${index}].pem`)
  return (
    <Field
      label="Certificate"
      mono
      rows={3}
      width={420}
      value={value}
      onChange={(pem) => set(`services.authorities[${index}].pem`, pem)}
      placeholder="-----BEGIN CERTIFICATE-----"
      error={finding?.level === 'stop' ? finding.says : null}
    />
  )
}

/** In a hall, machines that stand there already can be named instead of pools. */
export function OnMachines({
  intent,
  site,
}: {
  readonly intent: RaiseIntent
  readonly site: SiteView
}) {
  const { set } = useContext(SheetContext)
  const free = site.boxes.filter((box) => box.usedBy === null)
  if (free.length === 0 || intent.machines.length > 0) return null
  const use = (): void => {
    const members = free.length >= 3 ? 3 : 1
    set(
      'machines',
      free.slice(0, 7).map((box, i) => ({
        machine: box.name,
        roles: i < members ? ['control-plane', 'worker'] : ['worker'],
        nodeName: `${intent.name || 'node'}-${String.fromCharCode(97 + i)}`,
        card:
          box.cards.find((card) => card.sharedWith === 0 && card.network !== null)?.name ??
          box.cards[0]?.name,
      })),
    )
    set('pools', [])
    set('controlPlane', { kind: 'own', count: members, alsoWorkers: true })
  }
  return (
    <p style={{ margin: '2px 0 12px' }}>
      <StateGlyph state="resting" /> {countText(free.length, 'machine stands', 'machines stand')}{' '}
      here unused:{' '}
      {listText(
        free.map((box) => box.name),
        4,
      )}
      .{' '}
      <Button variant="text" onClick={use}>
        Raise it on those
      </Button>
    </p>
  )
}

export function BootDataLink({ id, machines }: { readonly id: string; readonly machines: number }) {
  return machines === 0 ? null : (
    <To path={`/changes/${id}/boot`}>
      Boot data of {numberText(machines)} {machines === 1 ? 'machine' : 'machines'}
    </To>
  )
}
