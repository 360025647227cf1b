/** The fault tray: faults that can be put into the stand-ins, to practise and to test. */
import { countText } from '~/core/units'
import { z } from 'zod'
import Button from '@mui/material/Button'
import { useState } from 'react'
import { useFetcher } from 'react-router'
import { type FleetView, nodesOf } from '~/core/fleet'
import type { ApiObject } from '~/core/objects'
import { breath } from '~/server/breath'
import { askedForm, field } from '../asked'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Ago } from '../../parts/when'
import { orRefused } from '../refusals'
import { daySubjects, mostNodesListed } from './day-subjects'
import type { Route } from './+types/faults'
import { Choice } from '../../kit/choice'
import { Empty } from '../../kit/empty'
import { Refused } from '../../kit/notice'
import { NumberField } from '../../kit/number-field'
import { Cell, PlainTable, Row } from '../../kit/plain-table'

export const meta: Route.MetaFunction = () => [{ title: 'Fault tray · Gyrarch' }]

/** Disks of replicated storage. */
const disksOf = ({ clusters }: FleetView): readonly string[] =>
  clusters.flatMap((cluster) =>
    (cluster.storage?.disks ?? []).map((disk) => `disk/${cluster.name}/${disk.node}/${disk.name}`),
  )

/** At most so many are offered. */
const mostOffered = 500

type Machine = FleetView['sites'][number]['machines'][number]

const sitesOf = ({ sites }: FleetView): readonly string[] => sites.map(({ name }) => `site/${name}`)
const clouds = ({ sites }: FleetView) => sites.filter(({ kind }) => kind === 'cloud')
const halls = ({ sites }: FleetView) => sites.filter(({ kind }) => kind === 'hall')
const sizesOf = (view: FleetView): readonly string[] =>
  clouds(view).flatMap((site) =>
    site.sizes.flatMap((size) =>
      size.zones.map((zone) => `size/${site.name}/${zone}/${size.name}`),
    ),
  )
const zonesOf = (view: FleetView): readonly string[] =>
  halls(view).flatMap((site) => site.zones.map((zone) => `zone/${site.name}/${zone}`))
const networksOf = ({ sites }: FleetView): readonly string[] =>
  sites
    .filter(({ kind }) => kind !== 'cloud')
    .flatMap((site) =>
      site.networks
        .filter((network) => network.dhcp !== undefined)
        .map((network) => `network/${site.name}/${network.name}`),
    )
const machinesOf = ({ sites }: FleetView, isOne: (machine: Machine) => boolean) =>
  sites.flatMap((site) =>
    site.machines.filter(isOne).map((machine) => `machine/${site.name}/${machine.name}`),
  )

/** What each fault can be about. */
const subjectsBy: Readonly<Record<string, (view: FleetView) => readonly string[]>> = {
  'machine-unavailable': (view) => clouds(view).map((site) => `site/${site.name}`),
  'image-missing': ({ sites }) =>
    sites.flatMap((site) => site.images.map((image) => `image/${site.name}/${image.release}`)),
  'size-withdrawn': sizesOf,
  'no-stock': sizesOf,
  'quota-lowered': ({ sites }) =>
    sites.filter((site) => site.quotaCores !== null).map((site) => `site/${site.name}`),
  'hosts-out': zonesOf,
  'store-full': zonesOf,
  'pool-empty': networksOf,
  'dhcp-silent': networksOf,
  'name-server-wrong': networksOf,
  'time-silent': ({ sites }) =>
    sites.filter((site) => site.timeServers.length > 0).map((site) => `site/${site.name}`),
  'boot-data-cut': sitesOf,
  'site-slow': sitesOf,
  'runtime-fails': sitesOf,
  'agent-silent': sitesOf,
  'machine-dies': sitesOf,
  'route-missing': ({ sites }) =>
    sites.flatMap((site) => site.routes.map((route) => `network/${site.name}/${route.network}`)),
  'disk-lost': disksOf,
  'disk-full': disksOf,
  'disk-slow': disksOf,
  'certificate-expired': ({ clusters }) => clusters.map((cluster) => `cluster/${cluster.name}`),
  'machine-off': (view) => machinesOf(view, ({ power }) => power === 'on'),
  'spot-taken': (view) => machinesOf(view, ({ lifetime }) => lifetime === 'spot'),
  'host-dies': (view) =>
    halls(view).flatMap((site) =>
      site.hosts
        .filter((host) => host.service !== 'dead')
        .map((host) => `host/${site.name}/${host.name}`),
    ),
}

/** The same as the fleet stands. */
async function subjectsOf(view: FleetView): Promise<Readonly<Record<string, readonly string[]>>> {
  const subjects: Record<string, readonly string[]> = {}
  for (const [fault, of] of Object.entries(subjectsBy)) {
    subjects[fault] = of(view).slice(0, mostOffered)
    await breath()
  }
  return subjects
}

/** What smaller clusters list; larger ones are written out by whoever wants a fault there. */
async function listedBy(
  fleet: { objectsOf(name: string): Promise<readonly ApiObject[] | null> },
  view: FleetView,
): Promise<ReadonlyMap<string, readonly ApiObject[]>> {
  const listed = new Map<string, readonly ApiObject[]>()
  for (const cluster of view.clusters)
    if (nodesOf(cluster).length <= mostNodesListed)
      listed.set(cluster.name, (await fleet.objectsOf(cluster.name)) ?? [])
  return listed
}

export async function loader({ context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const { possible, active } = await gyrarch.outside.faults()
  const view = await gyrarch.fleet.view()
  return {
    now: new Date(gyrarch.outside.now).toISOString(),
    possible,
    active: active.map((fault) => ({
      id: fault.id,
      fault: fault.kind,
      about: fault.about,
      mode: fault.mode,
      left: fault.left,
      since: new Date(fault.since).toISOString(),
    })),
    subjects: {
      ...(await subjectsOf(view)),
      ...(await daySubjects(view, await listedBy(gyrarch.fleet, view))),
    },
  }
}

const times = 'It strikes between 1 and 10,000 times.'
const acting = z.object({
  end: field(),
  fault: field(),
  about: field(),
  mode: z.enum(['transient', 'permanent']).default('permanent'),
  times: z.coerce.number({ error: times }).int(times).min(1, times).max(10_000, times).default(1),
})

export async function action({ request, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  return orRefused(async () => {
    const { end, ...fault } = await askedForm(request, acting)
    if (end !== '') await gyrarch.endFault(end)
    else await gyrarch.putFault({ ...fault, afterSeconds: 0 })
    return { refused: null }
  })
}

type Data = Route.ComponentProps['loaderData']
type Fetcher = ReturnType<typeof useFetcher<{ refused: string | null }>>

/** The fault to put in: its kind, what it is about, how long it lasts. */
function PutFault({
  possible,
  subjects,
  fetcher,
}: Pick<Data, 'possible' | 'subjects'> & { readonly fetcher: Fetcher }) {
  const [fault, setFault] = useState('machine-unavailable')
  const [about, setAbout] = useState('')
  const [mode, setMode] = useState('permanent')
  const [times, setTimes] = useState<number | undefined>(3)
  const choices = subjects[fault] ?? []
  const chosen = choices.includes(about) ? about : (choices[0] ?? '')
  const put = (): void =>
    void fetcher.submit(
      { fault, about: chosen, mode, times: String(times ?? '') },
      { method: 'post' },
    )
  return (
    <div
      className="fields"
      style={{
        display: 'flex',
        gap: 12,
        flexWrap: 'wrap',
        alignItems: 'flex-end',
        padding: '8px 0 16px',
      }}
    >
      <Choice
        label="Fault"
        value={fault}
        onChange={setFault}
        unfolds
        width={310}
        options={possible.map((entry) => ({ value: entry.fault, says: entry.says }))}
      />
      <Choice label="About" value={chosen} onChange={setAbout} options={choices} width={245} />
      <Choice
        label="Lasts"
        value={mode}
        onChange={setMode}
        width={154}
        options={[
          { value: 'permanent', says: 'until taken away' },
          { value: 'transient', says: 'some times' },
        ]}
      />
      {mode === 'transient' ? (
        <NumberField
          label="Times"
          value={times}
          onChange={setTimes}
          min={1}
          max={10_000}
          width={90}
        />
      ) : null}
      <Button
        variant="contained"
        disabled={fetcher.state !== 'idle' || chosen === ''}
        onClick={put}
      >
        Put it in
      </Button>
    </div>
  )
}

function ActiveFaults({
  active,
  possible,
  now,
  fetcher,
}: Pick<Data, 'active' | 'possible' | 'now'> & { readonly fetcher: Fetcher }) {
  if (active.length === 0)
    return (
      <Empty title="Nothing is wrong outside">
        Put a fault in to see how a raise, a drain or a walk meets it: what it halts, what is told
        of its cause, and which remedies are proven. Choose one above; it is taken away again here.
      </Empty>
    )
  return (
    <PlainTable label="Active faults" heads={['fault', 'about', 'lasts', 'since', '']}>
      {active.map((fault) => (
        <Row key={fault.id}>
          <Cell>{possible.find((entry) => entry.fault === fault.fault)?.says ?? fault.fault}</Cell>
          <Cell className="mono">{fault.about}</Cell>
          <Cell>
            {fault.left === null
              ? 'until taken away'
              : countText(fault.left, 'more time', 'more times')}
          </Cell>
          <Cell>
            <Ago at={fault.since} now={now} />
          </Cell>
          <Cell>
            <Button
              variant="outlined"
              onClick={() => void fetcher.submit({ end: fault.id }, { method: 'post' })}
              aria-label={`Take away ${fault.fault} about ${fault.about}`}
            >
              Take away
            </Button>
          </Cell>
        </Row>
      ))}
    </PlainTable>
  )
}

export default function Faults({ loaderData }: Route.ComponentProps) {
  const { active } = loaderData
  const fetcher = useFetcher<{ refused: string | null }>()
  return (
    <Page
      title="Fault tray"
      beside={<span className="soft">what can go wrong outside, put there on purpose</span>}
      reason={
        <>
          <h2>{active.length === 0 ? 'No fault is active' : `${active.length} active`}</h2>
          <p className="soft">
            A fault is an event in the simulated outside. Gyrarch is not told: it meets it as it
            would meet a real one.
          </p>
        </>
      }
    >
      <div className="scroll" tabIndex={0} role="region" aria-label="Faults">
        <PutFault {...loaderData} fetcher={fetcher} />
        <Refused says={fetcher.data?.refused} />
        <ActiveFaults {...loaderData} fetcher={fetcher} />
      </div>
    </Page>
  )
}
