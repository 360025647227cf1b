/** Hosts of a hall as columns, machines as blocks to scale, the failover reserve drawn; and what the loss of a host does. */
import { useSearchParams } from 'react-router'
import { hallRoom, hostLoss, type HostLoss } from '~/core/sizing'
import { bytesText, countText } from '~/core/units'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'
import { type Column, Table } from '../../kit/table/table'
import { To } from '../../parts/to'
import { Loss } from './loss'
import { fleetAsked } from '../moment'
import type { Route } from './+types/packing'
import './ground.css'
import { Zone } from './host-rows'
import { AskForm } from '../../kit/ask-form'
import { Choice } from '../../kit/choice'
import { NumberField } from '../../kit/number-field'

export const meta: Route.MetaFunction = ({ loaderData }) => [
  { title: `Packing of ${loaderData?.site?.name ?? 'no hall'} · Gyrarch` },
]

export async function loader({ request, context }: Route.LoaderArgs) {
  const view = await (await fleetAsked(context.get(gyrarchContext), request)).view()
  const search = new URL(request.url).searchParams
  const halls = view.sites.filter((site) => site.hosts.length > 0 && site.kind === 'hall')
  const site =
    halls.find((hall) => hall.name === search.get('site')) ??
    halls.find((hall) => `site/${hall.name}` === search.get('aim')) ??
    halls[0] ??
    null
  const size = site?.sizes.find((size) => size.name === search.get('size'))
  const count = Math.min(200, Math.max(1, Math.trunc(Number(search.get('count') ?? 1)) || 1))
  const zones = site && search.get('zone') ? [search.get('zone') ?? ''] : (site?.zones ?? [])
  const trial =
    site && size
      ? hallRoom(
          site.hosts,
          site.machines,
          Array.from({ length: count }, (_, i) => ({
            name: `trial-${String(i + 1).padStart(3, '0')}`,
            zone: zones[i % zones.length] ?? '',
            cores: size.cores,
            memoryBytes: size.memoryBytes,
            apart: null,
          })),
          site.overcommit,
          site.reservePerZone > 0,
        )
      : null
  return {
    halls: halls.map((hall) => hall.name),
    site,
    trial,
    asked: {
      size: size?.name ?? site?.sizes[0]?.name ?? '',
      count,
      zone: search.get('zone') ?? '',
    },
    losses:
      site && site.hosts.length <= 60
        ? site.hosts
            .map((host) => hostLoss(site.hosts, site.machines, host.name, site.overcommit))
            .filter((loss): loss is HostLoss => loss !== null)
        : [],
    loss:
      site && search.get('host')
        ? hostLoss(site.hosts, site.machines, search.get('host') ?? '', site.overcommit)
        : null,
    aim: site ? `site/${site.name}` : null,
  }
}

interface HostRow {
  readonly name: string
  readonly zone: string
  readonly service: string
  readonly machines: number
  readonly used: number
  readonly cores: number
  readonly memory: string
  readonly loss: string
}

const columns: readonly Column<HostRow>[] = [
  {
    name: 'host',
    value: (row) => row.name,
    show: (row) => <span className="mono">{row.name}</span>,
  },
  { name: 'zone', value: (row) => row.zone },
  { name: 'service', value: (row) => row.service },
  { name: 'machines', value: (row) => row.machines, number: true },
  { name: 'cores used', value: (row) => row.used, number: true },
  { name: 'cores in all', value: (row) => row.cores, number: true },
  { name: 'memory', value: (row) => row.memory },
  { name: 'if it dies', value: (row) => row.loss },
]

type Data = Route.ComponentProps['loaderData']
type Hall = NonNullable<Data['site']>

/** What the loss of each host would do, put together. */
function AnyLoss({ losses }: Pick<Data, 'losses'>) {
  const fatal = losses.filter((candidate) => candidate.homeless.length > 0)
  const lost = fatal.map(
    ({ host, homeless }) => `${host}: ${homeless.map((item) => item.machine).join(', ')}`,
  )
  return (
    <>
      <h2>
        <StateGlyph state={fatal.length > 0 ? 'strained' : 'well'} />{' '}
        {fatal.length > 0
          ? `The loss of ${countText(fatal.length, 'host')} would leave machines without a place`
          : 'Any one host may die'}
      </h2>
      <p className="soft">
        {fatal.length > 0
          ? lost.join('; ')
          : 'Its machines restart on the rest of its zone. Choose a host to see where.'}
      </p>
    </>
  )
}

/** What the loss of the host chosen would do, and its way out of service or back. */
function ChosenLoss({ site, loss }: { readonly site: Hall; readonly loss: HostLoss }) {
  const isIn = (site.hosts.find((host) => host.name === loss.host)?.service ?? 'in') === 'in'
  return (
    <>
      <Loss loss={loss} />
      <div className="acts">
        <DraftChange
          kind="site.hosts"
          intent={{ site: site.name, hosts: [loss.host], service: isIn ? 'out' : 'in' }}
        >
          {isIn ? `Take ${loss.host} out of service` : `Put ${loss.host} back in service`}
        </DraftChange>
      </div>
    </>
  )
}

function HostChoice({ site, loss }: { readonly site: Hall; readonly loss: HostLoss | null }) {
  const [search] = useSearchParams()
  return (
    <div>
      <h3>What if a host dies</h3>
      <div className="host-choice">
        {site.hosts.slice(0, 60).map((host) => (
          <To
            key={host.name}
            path="/ground/packing"
            query={{ site: site.name, host: host.name, as: search.get('as') }}
            aria-current={loss?.host === host.name}
            className="mono"
          >
            {host.name}
          </To>
        ))}
      </div>
    </div>
  )
}

/** Machines tried out: how many of a size, where, and whether they fit. */
function Trial({ site, asked, trial }: Pick<Data, 'asked' | 'trial'> & { readonly site: Hall }) {
  return (
    <div>
      <h3>Would more fit</h3>
      <AskForm label="Would more fit" asks={['count', 'size', 'zone']} verb="Place them">
        <NumberField
          key={`c${asked.count}`}
          name="count"
          label="Machines"
          min={1}
          max={200}
          defaultValue={asked.count}
        />
        <Choice
          key={`s${asked.size}`}
          name="size"
          label="Size"
          defaultValue={asked.size}
          options={site.sizes.map((size) => ({
            value: size.name,
            says: `${size.name}, ${size.cores} cores, ${bytesText(size.memoryBytes)}`,
          }))}
          width={230}
        />
        <Choice
          key={`z${asked.zone}`}
          name="zone"
          label="Zone"
          defaultValue={asked.zone}
          empty="spread over all"
          options={site.zones}
          width={150}
        />
      </AskForm>
      {trial ? (
        <p role="status" style={{ marginTop: 8 }}>
          <StateGlyph state={trial.unfit.length > 0 ? 'broken' : 'well'} />{' '}
          {trial.unfit.length === 0
            ? `All ${trial.placed.length} fit, with the reserve kept.`
            : `${trial.unfit.length} of ${asked.count} do not fit: ${trial.unfit[0]?.says ?? ''}.`}
        </p>
      ) : null}
    </div>
  )
}

function lossText(loss: HostLoss | undefined): string {
  if (!loss) return ''
  if (loss.homeless.length > 0) return `${loss.homeless.length} without a place`
  return loss.moves.map((move) => `${move.machine} → ${move.to}`).join(', ') || 'nothing on it'
}

const hostRows = (site: Hall, losses: readonly HostLoss[]): readonly HostRow[] =>
  site.hosts.map((host) => {
    const on = site.machines.filter((machine) => machine.host === host.name)
    const memory = on.reduce((sum, machine) => sum + machine.memoryBytes, 0)
    return {
      name: host.name,
      zone: host.zone,
      service: host.service ?? 'in',
      machines: on.length,
      used: on.reduce((sum, machine) => sum + machine.cores, 0),
      cores: host.cores * site.overcommit,
      memory: `${bytesText(memory)} of ${bytesText(host.memoryBytes)}`,
      loss: lossText(losses.find((candidate) => candidate.host === host.name)),
    }
  })

function Hosts({ site, data }: { readonly site: Hall; readonly data: Data }) {
  const { loss, trial, asked } = data
  const max = Math.max(1, ...site.hosts.map((host) => host.cores * site.overcommit))
  const trialCores = site.sizes.find((size) => size.name === asked.size)?.cores ?? 0
  return (
    <div className="scroll" tabIndex={0} role="region" aria-label="Hosts">
      <p className="soft" style={{ marginBottom: 8 }}>
        A column is a host, to the scale of its cores
        {site.overcommit > 1 ? ` (${site.overcommit} for one)` : ''}; a block is a machine. The
        dashed line marks each host’s share of what{' '}
        {site.reservePerZone > 0
          ? `${countText(site.reservePerZone, 'host')} of every zone leaves free for failover`
          : 'nobody keeps free'}
        .
      </p>
      <div className="packing">
        {site.zones.map((zone) => (
          <Zone
            key={zone}
            site={site}
            zone={zone}
            loss={loss}
            trial={trial}
            trialCores={trialCores}
            maxCores={max}
          />
        ))}
      </div>
    </div>
  )
}

export default function Packing({ loaderData }: Route.ComponentProps) {
  const { halls, site, losses, loss } = loaderData
  const [search] = useSearchParams()
  if (!site) {
    return (
      <Page title="Host packing" reason={<h2>No hall is known</h2>}>
        <p className="empty">Only halls have hosts of their own to pack machines onto.</p>
      </Page>
    )
  }
  const asTable = search.get('as') === 'table'
  return (
    <Page
      title={`Host packing of ${site.name}`}
      beside={
        <>
          <span className="picker" role="group" aria-label="Hall">
            {halls.slice(0, 6).map((hall) => (
              <To
                key={hall}
                path="/ground/packing"
                query={{ site: hall }}
                aria-current={hall === site.name}
              >
                {hall}
              </To>
            ))}
          </span>
          <To
            path="/ground/packing"
            query={{ site: site.name, as: asTable ? null : 'table' }}
            className="quiet-button"
            style={{ textDecoration: 'none' }}
          >
            {asTable ? 'drawing' : 'table'}
          </To>
        </>
      }
      reason={
        <>
          {loss ? <ChosenLoss site={site} loss={loss} /> : <AnyLoss losses={losses} />}
          <HostChoice site={site} loss={loss} />
          <Trial {...loaderData} site={site} />
        </>
      }
    >
      {asTable ? (
        <Table
          name={`hosts of ${site.name}`}
          columns={columns}
          rows={hostRows(site, losses)}
          id={(row) => row.name}
          empty="No host."
        />
      ) : (
        <Hosts site={site} data={loaderData} />
      )}
    </Page>
  )
}
