/** What a site page shows beside room, networks and services: routes, what no cluster owns, and the ways to change it. */
import { type FleetView, type Leftover, type SiteView, type State } from '~/core/fleet'
import { moneyText, numberText, countText } from '~/core/units'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'
import { To } from '../../parts/to'

export function Routes({ site }: { readonly site: SiteView }) {
  const front = site.networks.find((network) => network.role === 'frontage')
  const nodes = site.networks.find((network) => network.role === 'nodes')
  const missing =
    site.kind === 'hall' &&
    front?.gateway !== undefined &&
    nodes &&
    !site.routes.some(
      (route) =>
        route.network === front.name && (route.to === nodes.range || route.to === '0.0.0.0/0'),
    )
  if (site.routes.length === 0 && !missing) return null
  return (
    <section aria-label="Routes" style={{ marginTop: 18 }}>
      <h2>Routes</h2>
      <ul className="site-lines">
        {site.routes.map((route) => (
          <li key={`${route.network}${route.to}`}>
            <span>{route.network}</span>
            <span className="mono">
              {route.to} by {route.via}
            </span>
            <span>
              <DraftChange
                kind="wire.route"
                intent={{ ...route, site: site.name, remove: true }}
                variant="text"
              >
                Remove
              </DraftChange>
            </span>
          </li>
        ))}
        {missing && front && nodes ? (
          <li>
            <span>
              <StateGlyph state="strained" title="missing" /> {front.name}
            </span>
            <span className="soft">
              no route to {nodes.name}: nothing at a virtual address would reach a node
            </span>
            <span>
              <DraftChange
                kind="wire.route"
                intent={{
                  site: site.name,
                  network: front.name,
                  to: nodes.range,
                  via: front.gateway ?? '',
                }}
              >
                Add it
              </DraftChange>
            </span>
          </li>
        ) : null}
      </ul>
    </section>
  )
}

export function Orphans({
  site,
  left,
}: {
  readonly site: SiteView
  readonly left: readonly Leftover[]
}) {
  if (left.length === 0) return null
  const cost = left.reduce((sum, leftover) => sum + leftover.perMonth, 0)
  const removable = left.filter((leftover) => leftover.kind !== 'control plane')
  return (
    <section aria-label="Owned by no cluster" style={{ marginTop: 18 }}>
      <h2>
        <StateGlyph state="strained" title="strained" /> {countText(left.length, 'thing')} that no
        cluster owns{cost > 0 ? `, ${moneyText(cost)} units a month` : ''}
      </h2>
      <ul className="site-lines">
        {left.slice(0, 12).map((leftover) => (
          <li key={`${leftover.kind}${leftover.name}`}>
            <span>
              {leftover.kind} <span className="mono">{leftover.name}</span>
            </span>
            <span className="soft">
              {leftover.says}
              {leftover.perMonth > 0 ? `, ${moneyText(leftover.perMonth)} a month` : ''}
            </span>
            <span className="acts">
              {leftover.kind === 'control plane' ? null : (
                <DraftChange
                  kind="orphans.remove"
                  intent={{
                    site: site.name,
                    items: [{ kind: leftover.kind, name: leftover.name }],
                  }}
                  variant="text"
                >
                  Remove
                </DraftChange>
              )}
              {leftover.kind === 'disk' ||
              leftover.kind === 'address' ||
              leftover.kind === 'balancer' ? (
                <DraftChange
                  kind="orphans.adopt"
                  intent={{
                    site: site.name,
                    kind: leftover.kind,
                    name: leftover.name,
                    cluster: leftover.was ?? '',
                  }}
                  variant="text"
                >
                  Adopt
                </DraftChange>
              ) : null}
            </span>
          </li>
        ))}
      </ul>
      {left.length > 12 ? <p className="soft">and {numberText(left.length - 12)} more</p> : null}
      {removable.length > 1 ? (
        <DraftChange
          kind="orphans.remove"
          intent={{
            site: site.name,
            items: removable.slice(0, 5000).map(({ kind, name }) => ({ kind, name })),
          }}
        >
          Draft removing all {numberText(removable.length)}
        </DraftChange>
      ) : null}
    </section>
  )
}

/** Ended or refused is broken; one that ends within a month is to be renewed. */
function credentialState(days: number, checked: { readonly good: boolean } | null): State {
  if (days < 0 || checked?.good === false) return 'broken'
  return days < 30 ? 'strained' : 'well'
}

export function Credentials({
  site,
  credentials,
  now,
}: {
  readonly site: SiteView
  readonly credentials: FleetView['credentials']
  readonly now: string
}) {
  if (site.kind !== 'cloud' && credentials.length === 0) return null
  return (
    <section aria-label="Credentials" style={{ marginTop: 18 }}>
      <h2>Credentials</h2>
      <ul className="site-lines">
        {credentials.map((credential) => {
          const days = Math.floor((Date.parse(credential.until) - Date.parse(now)) / 86_400_000)
          return (
            <li key={credential.name}>
              <span>
                <StateGlyph state={credentialState(days, credential.checked)} />{' '}
                <span className="mono">{credential.name}</span>
              </span>
              <span className="soft">
                {days < 0
                  ? 'ended'
                  : `until ${credential.until.slice(0, 10)}, ${countText(days, 'day')}`}
                ; {credential.checked ? `${credential.checked.says} when asked` : 'not asked yet'}
              </span>
              <span />
            </li>
          )
        })}
        {credentials.length === 0 ? (
          <li className="soft">None: it takes orders only with one.</li>
        ) : null}
      </ul>
      <To path="/keys">Keys and credentials</To>
    </section>
  )
}

/** Everything that can be drafted for a site as it stands. */
export function SiteActs({ site }: { readonly site: SiteView }) {
  const zone = site.zones[0] ?? ''
  return (
    <section aria-label="Change the ground" style={{ marginTop: 18 }}>
      <h2>Change the ground</h2>
      <div className="acts" style={{ marginTop: 7 }}>
        {site.kind === 'hall' ? (
          <DraftChange
            kind="site.edit"
            intent={{
              site: site.name,
              addHosts: [
                {
                  name: `${site.hosts[0]?.name.replace(/-\d+$/, '') ?? zone}-${site.hosts.filter((host) => host.zone === zone).length + 1}`,
                  zone,
                  cores: site.hosts[0]?.cores ?? 32,
                  memoryGiB: (site.hosts[0]?.memoryBytes ?? 2 ** 38) / 2 ** 30,
                  diskGb: site.hosts[0]?.diskGb ?? 1000,
                  idleWatts: site.hosts[0]?.idleWatts ?? 0,
                  fullWatts: site.hosts[0]?.fullWatts ?? 0,
                },
              ],
            }}
          >
            Add a host
          </DraftChange>
        ) : null}
        <DraftChange kind="site.edit" intent={{ site: site.name }}>
          Zones, hosts and sizes
        </DraftChange>
        <DraftChange
          kind="site.network"
          intent={{ site: site.name, network: '', range: '', role: 'private' }}
        >
          Add a network
        </DraftChange>
        {site.quotaCores === null ? null : (
          <DraftChange kind="site.quota" intent={{ site: site.name, cores: site.quotaCores + 32 }}>
            Ask for more quota
          </DraftChange>
        )}
        {site.kind === 'cloud' ? null : (
          <DraftChange
            kind="site.machines"
            intent={{
              site: site.name,
              add: [
                {
                  name: '',
                  zone,
                  cores: 8,
                  memoryGiB: 32,
                  prepared: true,
                  cards: [{ name: 'eno1', mac: '' }],
                },
              ],
            }}
          >
            Enter a machine
          </DraftChange>
        )}
        <DraftChange kind="site.remove" intent={{ site: site.name }} variant="text">
          Remove {site.name}
        </DraftChange>
      </div>
    </section>
  )
}
