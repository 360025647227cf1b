/** Right sizes: what workloads ask for against what they used, and what a change would free. */
import { useNavigate } from 'react-router'
import { type Pod, rightSizes, readWorld, workloadsOf, type RightSize } from '~/core/placement'
import { countText, bytesText, GiB, MiB, numberText } from '~/core/units'
import { breath } from '~/server/breath'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { type Column, Table } from '../../kit/table/table'
import { To, useAddress } from '../../parts/to'
import { applying } from '../../parts/applying'
import { aimedCluster, ShapeTabs } from './tabs'
import { type ContainerSize, containerSizes, requesting } from './container-sizes'
import { workloadPart } from './workload-part'
import './shape.css'
import { fleetAsked } from '../moment'
import type { Route } from './+types/sizes'
import { BarChart } from '../../kit/chart/chart'

export const meta: Route.MetaFunction = () => [{ title: 'Right sizes · Gyrarch' }]

/** Of what never ran. */
const unused = { cpuMilli: [], memoryBytes: [], memoryKills: 0, throttled: 0 }

const usedText = (used: number | null, text: (used: number) => string): string =>
  used === null ? 'no figures yet' : text(used)

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const view = await fleet.view()
  const aim = aimedCluster(request)
  const rows: (RightSize & {
    readonly cluster: string
    readonly containers: readonly ContainerSize[]
  })[] = []
  for (const cluster of view.clusters
    .filter((candidate) => aim === null || candidate.name === aim)
    .slice(0, 12)) {
    await breath()
    const objects = (await fleet.objectsOf(cluster.name)) ?? []
    const read = readWorld(objects)
    const used = (await fleet.usageOf(cluster.name)) ?? []
    if (!read.ok) continue
    const ownerOf = workloadsOf(objects)
    const byWorkload = new Map<string, Pod[]>()
    for (const pod of read.world.pods) {
      const workload = ownerOf(pod.object)
      if (workload && !pod.isFinished)
        byWorkload.set(workload, [...(byWorkload.get(workload) ?? []), pod])
    }
    const usedBy = new Map(used.map((entry) => [entry.workload, entry]))
    const matchingRightSizes = rightSizes(
      [...byWorkload].flatMap(([workload, pods]) => {
        const [pod] = pods
        if (!pod) return []
        const entry = usedBy.get(workload) ?? unused
        return [
          {
            ...entry,
            workload,
            pods: pods.length,
            requestCpuMilli: pod.shape.cpuMilli,
            requestMemoryBytes: pod.shape.memoryBytes,
          },
        ]
      }),
    )
    rows.push(
      ...matchingRightSizes.map((size) => ({
        ...size,
        cluster: cluster.name,
        // Every pod of a workload has the same containers.
        containers: containerSizes(
          byWorkload.get(size.workload)?.[0]?.object.spec?.containers ?? [],
          size,
        ),
      })),
    )
  }
  const wanted = new URL(request.url).searchParams.get('workload')
  return {
    rows: rows.sort((a, b) => b.memoryKills - a.memoryKills || b.frees.cpuMilli - a.frees.cpuMilli),
    chosen: rows.find((row) => `${row.cluster} ${row.workload}` === wanted) ?? null,
  }
}

type Row = Route.ComponentProps['loaderData']['rows'][number]

const freesText = ({ frees }: Row): string =>
  [
    ...(frees.cpuMilli === 0 ? [] : [`${numberText(frees.cpuMilli)} m`]),
    ...(frees.memoryBytes === 0 ? [] : [bytesText(frees.memoryBytes)]),
  ].join(', ')

const columns: readonly Column<Row>[] = [
  {
    name: 'workload',
    value: (row) => row.workload.split('/').slice(1).join('/'),
    show: (row) => <span className="mono">{row.workload.split('/').at(-1)}</span>,
  },
  {
    name: 'cluster',
    value: (row) => row.cluster,
    show: (row) => <span className="mono">{row.cluster}</span>,
  },
  {
    name: 'CPU used',
    value: (row) => row.cpu.used ?? -1,
    show: (row) =>
      usedText(row.cpu.used, (used) => `${numberText(used)} of ${numberText(row.cpu.asked)} m`),
    number: true,
  },
  {
    name: 'memory used',
    value: (row) => row.memory.used ?? -1,
    show: (row) =>
      usedText(row.memory.used, (used) => `${bytesText(used)} of ${bytesText(row.memory.asked)}`),
    number: true,
  },
  {
    name: 'frees',
    value: (row) => row.frees.cpuMilli,
    show: freesText,
    number: true,
  },
  { name: 'says', value: (row) => row.says },
  { name: 'pods', value: (row) => row.pods, number: true },
  {
    name: 'CPU asked',
    value: (row) => row.cpu.asked,
    show: (row) => `${numberText(row.cpu.asked)} m`,
    number: true,
  },
  {
    name: 'memory asked',
    value: (row) => row.memory.asked,
    show: (row) => bytesText(row.memory.asked),
    number: true,
  },
  {
    name: 'frees memory',
    value: (row) => row.frees.memoryBytes,
    show: (row) => bytesText(row.frees.memoryBytes),
    number: true,
  },
  {
    name: 'held back',
    value: (row) => row.throttled,
    show: (row) => (row.throttled === 0 ? '' : `${numberText(100 * row.throttled, 0)} %`),
    number: true,
  },
]

const mostBars = 8

/** What the workloads with most to free ask for, beside what they take. */
function AskedAndUsed({ rows }: { readonly rows: readonly Row[] }) {
  const shown = rows.filter((row) => row.frees.cpuMilli > 0).slice(0, mostBars)
  if (shown.length === 0) return null
  return (
    <BarChart
      title="CPU asked for, against what is used and what would do"
      label="CPU of a pod by workload"
      unit="cores a pod"
      isStacked={false}
      series={[
        { name: 'asked', token: '--arc-4' },
        { name: 'used, 95 % of the last day', token: '--petrol' },
        { name: 'proposed', token: '--brass' },
      ]}
      bars={shown.map((row) => ({
        name: `${row.workload.split('/').at(-1) ?? row.workload}, ${row.cluster}`,
        values: [row.cpu.asked / 1000, (row.cpu.used ?? 0) / 1000, row.cpu.proposed / 1000],
      }))}
      text={(cores) => `${numberText(cores, 2)} cores`}
    />
  )
}

/** A proposal, or that what is asked for does. */
const proposedText = (
  { asked, proposed }: Pick<Row['cpu'], 'asked' | 'proposed'>,
  text: (amount: number) => string,
): string => (proposed === asked ? 'as it is' : text(proposed))

const milliText = (milli: number): string => `${numberText(milli)} m`

function SizeFacts({ row }: { readonly row: Row }) {
  const { cpu, memory, frees, pods } = row
  const isFreed = frees.cpuMilli >= 0 && frees.memoryBytes >= 0
  return (
    <dl className="facts">
      <div>
        <dt>CPU, 95 % of the last day</dt>
        <dd>
          {usedText(cpu.used, milliText)} of {milliText(cpu.asked)}
        </dd>
      </div>
      <div>
        <dt>CPU proposed</dt>
        <dd>{proposedText(cpu, milliText)}</dd>
      </div>
      <div>
        <dt>memory, 95 % of the last day</dt>
        <dd>
          {usedText(memory.used, bytesText)} of {bytesText(memory.asked)}
        </dd>
      </div>
      <div>
        <dt>memory proposed</dt>
        <dd>{proposedText(memory, bytesText)}</dd>
      </div>
      <div>
        <dt>over {countText(pods, 'pod')}</dt>
        <dd>
          {milliText(frees.cpuMilli)} and {bytesText(frees.memoryBytes)}{' '}
          {isFreed ? 'freed' : 'in balance'}
        </dd>
      </div>
    </dl>
  )
}

/** What is proposed for a pod, over its containers. */
function SharedOut({ containers }: Pick<Row, 'containers'>) {
  return (
    <>
      <h3>Over its containers, as they share it now</h3>
      <ul className="facts">
        {containers.map(({ name, cpuMilli, memoryMiB }) => (
          <li key={name}>
            <span className="mono">{name}</span>
            <span className="source">
              {milliText(cpuMilli)}, {bytesText(memoryMiB * MiB)}
            </span>
          </li>
        ))}
      </ul>
    </>
  )
}

function SizeReason({ row }: { readonly row: Row }) {
  const { cluster, workload, containers, cpu, memory } = row
  const isSame = cpu.proposed === cpu.asked && memory.proposed === memory.asked
  const object = workloadPart(workload, { pod: { containers: containers.map(requesting) } })
  return (
    <>
      <h2 className="mono">{workload.split('/').at(-1)}</h2>
      <p>{row.says}</p>
      <SizeFacts row={row} />
      {containers.length > 1 && !isSame ? <SharedOut containers={containers} /> : null}
      {object === null ? (
        <p className="soft">
          What a job or a pod of its own asks for cannot be changed: it is made anew.
        </p>
      ) : null}
      <div className="acts">
        {object === null ? null : (
          <DraftChange
            kind="manifest.apply"
            intent={applying(cluster, 'gyrarch-sizes', object)}
            variant="contained"
            disabled={isSame}
          >
            Draft these requests
          </DraftChange>
        )}
        <To path="/shape/board" query={{ aim: `cluster/${cluster}`, workload }}>
          On the board
        </To>
      </div>
    </>
  )
}

export default function Sizes({ loaderData }: Route.ComponentProps) {
  const { rows, chosen } = loaderData
  const navigate = useNavigate()
  const address = useAddress()
  const cpu = rows.reduce((sum, row) => sum + Math.max(0, row.frees.cpuMilli), 0)
  const memory = rows.reduce((sum, row) => sum + Math.max(0, row.frees.memoryBytes), 0)
  return (
    <Page
      title="Right sizes"
      beside={
        <span className="soft">
          up to {numberText(cpu / 1000, 1)} cores and {numberText(memory / GiB, 1)} GiB are asked
          for and not used
        </span>
      }
      reason={
        chosen ? (
          <SizeReason row={chosen} />
        ) : (
          <>
            <h2>How use is told</h2>
            <p className="soft">
              Use is the 95th percentile of a pod over the last day. A proposal has a margin of 15 %
              for CPU and 25 % for memory; within a tenth of what is asked for nothing is proposed.
            </p>
          </>
        )
      }
    >
      <ShapeTabs here="/shape/sizes" />
      <Table
        name="right sizes"
        columns={columns}
        rows={rows}
        id={(row) => `${row.cluster} ${row.workload}`}
        selected={chosen ? `${chosen.cluster} ${chosen.workload}` : null}
        onSelect={(row) =>
          void navigate(address('/shape/sizes', { workload: `${row.cluster} ${row.workload}` }), {
            preventScrollReset: true,
          })
        }
        empty="Nothing runs here, so nothing is used. Once a workload has run for an hour, what it asks for is held against what it takes."
      />
      <AskedAndUsed rows={rows} />
    </Page>
  )
}
