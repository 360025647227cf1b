/** The parts of a draft that few need and nobody should have to write by hand: what surrounds the machines. */
import Button from '@mui/material/Button'
import { useContext } from 'react'
import type { SiteView } from '~/core/fleet'
import type { RaiseIntent } from '~/core/provisioning'
import { countText, bytesText, listText } from '~/core/units'
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

interface Part {
  readonly intent: RaiseIntent
  readonly site: SiteView | undefined
}

/** The names the cluster is reached by, its storage class, the size of its packets. */
function Names({ intent, site }: Part) {
  const { set } = useContext(SheetContext)
  const classes = (site?.storageClasses ?? []).map(({ name, zones }) => ({
    value: name,
    says: site && zones.length < site.zones.length ? `${name}, only ${listText(zones)}` : name,
  }))
  return (
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
      <NumberIn
        path="services.mtu"
        label="MTU"
        value={intent.services?.mtu}
        width={150}
        max={9216}
      />
    </div>
  )
}

/** The servers that machines ask: for the time, for names, for images. */
function Servers({ intent, site }: Part) {
  const { services } = intent
  return (
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
  )
}

function WebProxy({ intent }: Pick<Part, 'intent'>) {
  const { set } = useContext(SheetContext)
  const proxy = intent.services?.webProxy
  return (
    <div className="fields">
      <TextIn
        path="services.webProxy.url"
        label="Web proxy"
        value={proxy?.url ?? ''}
        width={230}
        help="empty: none"
      />
      {proxy ? (
        <>
          <ListIn
            path="services.webProxy.except"
            label="Except"
            value={proxy.except}
            placeholder="localhost .svc 10.0.0.0/8"
            width={260}
          />
          <Button variant="text" onClick={() => set('services.webProxy', undefined)}>
            No proxy
          </Button>
        </>
      ) : null}
    </div>
  )
}

/** Certificate authorities that every machine trusts. */
function Authorities({ intent }: Pick<Part, 'intent'>) {
  const { set } = useContext(SheetContext)
  const authorities = intent.services?.authorities ?? []
  const path = 'services.authorities'
  return (
    <>
      {authorities.map((authority, i) => (
        <div className="fields" key={i}>
          <TextIn
            path={`${path}[${i}].name`}
            label="Authority"
            value={authority.name}
            width={170}
          />
          <Pem index={i} value={authority.pem} />
          <Button
            variant="text"
            onClick={() =>
              set(
                path,
                authorities.filter((_, index) => index !== i),
              )
            }
          >
            Remove
          </Button>
        </div>
      ))}
      <Button variant="outlined" onClick={() => set(path, [...authorities, { name: '', pem: '' }])}>
        Trust a certificate authority
      </Button>
    </>
  )
}

/** Secrets at rest, audit and sign-in, where the control plane is the cluster’s own. */
function Security({ intent }: Pick<Part, 'intent'>) {
  const { security, controlPlane } = intent
  if (controlPlane.kind !== 'own')
    return (
      <p className="soft" style={{ margin: '10px 0' }}>
        Secrets at rest, audit and sign-in of a managed control plane are its cloud’s.
      </p>
    )
  return (
    <div className="fields" style={{ marginTop: 10 }}>
      <CheckIn
        path="security.encryptSecrets"
        label="Encrypt secrets at rest"
        value={security?.encryptSecrets ?? true}
      />
      <SelectIn
        path="security.auditPolicy"
        label="Audit"
        value={security?.auditPolicy ?? 'metadata'}
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
        value={security?.identityProvider?.issuer ?? ''}
        width={230}
        help="issuer address; empty: none"
      />
      {security?.identityProvider ? (
        <TextIn
          path="security.identityProvider.client"
          label="Client"
          value={security.identityProvider.client}
          width={130}
        />
      ) : null}
    </div>
  )
}

/** What of a cloud is seen from outside. */
function CloudNetworks({
  intent,
  site,
}: {
  readonly intent: RaiseIntent
  readonly site: SiteView
}) {
  const { set } = useContext(SheetContext)
  return (
    <>
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
    </>
  )
}

/** How machines get what they boot with, their addresses, and what the control plane begins on. */
function Handing({ intent, site }: Part) {
  const limit = site?.bootData.limitBytes
  const { controlPlane } = intent
  return (
    <div className="fields">
      <SelectIn
        path="bootData.handOver"
        label="Boot data"
        value={intent.bootData?.handOver ?? 'inline'}
        width={220}
        options={[
          { value: 'inline', says: limit ? `whole, up to ${bytesText(limit)}` : 'whole' },
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
      {site?.kind === 'cloud' ? <CloudNetworks intent={intent} site={site} /> : null}
      {controlPlane.kind === 'own' && site?.kind !== 'edge' && intent.machines.length === 0 ? (
        <SelectIn
          path="controlPlane.begins"
          label="Begins on"
          value={controlPlane.begins ?? 'first-machine'}
          width={190}
          options={[
            { value: 'first-machine', says: 'its first machine' },
            { value: 'temporary-machine', says: 'a machine that goes again' },
          ]}
        />
      ) : null}
    </div>
  )
}

export function Surroundings({ intent, site }: Part) {
  const { services, security, names, storageClass, bootData } = intent
  return (
    <details
      className="more"
      open={Boolean(services ?? security ?? names ?? storageClass ?? bootData)}
    >
      <summary>
        <h2>Around the machines</h2>{' '}
        <span className="soft">
          names, time, proxy, authorities, storage class, secrets, boot data
        </span>
      </summary>
      <Names intent={intent} site={site} />
      <Servers intent={intent} site={site} />
      <WebProxy intent={intent} />
      <Authorities intent={intent} />
      <Security intent={intent} />
      <Handing intent={intent} site={site} />
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
    <To path={`/changes/${id}/boot`}>Boot data of {countText(machines, 'machine')}</To>
  )
}
