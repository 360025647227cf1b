/** The way of a cluster from its release to another: the ladder of its steps, what stands against it, and the draft. */
import { useNavigate, useSearchParams } from 'react-router'
import { findRelease, newestFirst } from '~/core/releases'
import {
  orderedUpgrade,
  releaseOfPool,
  turnedPools,
  upgradeProgress,
  usualWay,
} from '~/core/releases/changes'
import { nodesOf, type NodeView } from '~/core/fleet'
import { compareReleases, countText, durationText, listText, minorLine } from '~/core/units'
import type { Gyrarch } from '~/server/gyrarch'
import { ChangeRow, StepRow } from '~/server/records/models'
import { changeId } from '~/server/runner/journal'
import { gyrarchContext } from '../../context'
import { Ladder } from '../../drawings/ladder'
import { Page } from '../../frame/page'
import { Choice } from '../../kit/choice'
import { Empty } from '../../kit/empty'
import { PlainTable, Cell, Row } from '../../kit/plain-table'
import { DraftChange } from '../../parts/draft-change'
import { type Column, Table } from '../../kit/table/table'
import { changeGlyph, StateGlyph, StateText } from '../../parts/state'
import { To, useAddress } from '../../parts/to'
import { fleetAsked } from '../moment'
import { aimedCluster } from '../shape/tabs'
import { RenewTabs } from './tabs'
import { TwoWaysTable } from './two-ways'
import type { Route } from './+types/upgrades'
import './renew.css'

export const meta: Route.MetaFunction = () => [{ title: 'Upgrades · Gyrarch' }]

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const plain = await fleet.view()
  const view = { ...plain, published: await gyrarch.registries.published() }
  const { searchParams } = new URL(request.url)
  const names = view.clusters.map(({ name }) => name)
  const asked = searchParams.get('cluster') ?? aimedCluster(request) ?? ''
  // Who is furthest behind comes first.
  const furthest = [...view.clusters].sort((a, b) => compareReleases(a.release, b.release))[0]
  const cluster = view.clusters.find(({ name }) => name === asked) ?? furthest
  if (!cluster) return { names, now: view.now, cluster: null }
  const targets = newestFirst(view.catalogue).filter(
    ({ version, withdrawn }) => withdrawn === null && compareReleases(version, cluster.release) > 0,
  )
  const run = await upgradeRun(cluster.name)
  const today = view.now.slice(0, 10)
  const supported = targets.filter(({ endOfSupport }) => endOfSupport >= today)
  const wanted = searchParams.get('to') ?? ''
  // Without a wish: the newest patch of the nearest minor that is supported.
  const nearest = minorLine(supported.at(-1)?.version ?? '')
  const runsTo = run ? String((run.intent as { to?: unknown }).to ?? '') : ''
  const to =
    findRelease(view.catalogue, wanted === '' ? runsTo : '') ??
    targets.find(({ version }) => version === wanted) ??
    supported.find(({ version }) => minorLine(version) === nearest) ??
    targets[0] ??
    null
  const ordered = to && orderedUpgrade({ cluster: cluster.name, to: to.version }, view)
  return {
    names,
    now: view.now,
    cluster: {
      name: cluster.name,
      release: cluster.release,
      run: run && {
        id: changeId(run.number),
        label: run.label,
        state: run.state,
        to: findRelease(view.catalogue, runsTo)?.version ?? runsTo,
      },
      nodes: nodesOf(cluster).map(nodeShown),
      to: to?.version ?? null,
      until: to?.endOfSupport ?? null,
      targets: [...(to && !targets.includes(to) ? [to] : []), ...targets].map(
        ({ version, endOfSupport }) => ({
          value: version,
          says:
            endOfSupport < today
              ? `${version}, out of support`
              : `${version}, until ${endOfSupport}`,
        }),
      ),
      pools: turnedPools(cluster).map((pool) => ({
        name: pool.name,
        version: releaseOfPool(pool, cluster),
        nodes: pool.nodes.length,
      })),
      ways: Object.fromEntries(
        turnedPools(cluster).map((pool) => [
          pool.name,
          usualWay(
            cluster,
            pool,
            view.sites.find(({ name }) => name === cluster.site),
          ).how,
        ]),
      ),
      addOns: cluster.addOns ?? [],
      path: ordered?.upgrade.path ?? null,
      steps: ordered?.upgrade.steps ?? [],
      climbed:
        run && to?.version === findRelease(view.catalogue, runsTo)?.version
          ? await climbedBy(gyrarch, run)
          : null,
      problems: ordered?.upgrade.problems ?? [],
    },
  }
}

const nodeShown = (node: NodeView) => ({
  name: node.name,
  pool: node.pool,
  release: node.release,
  createdAt: node.createdAt,
  isReady: node.conditions.some(({ type, status }) => type === 'Ready' && status === 'True'),
  isCordoned: node.cordoned,
})

/** The run that takes a cluster to another release now. */
async function upgradeRun(cluster: string): Promise<ChangeRow | null> {
  const rows = await ChangeRow.findAll({
    where: { kind: 'cluster.upgrade', state: ['running', 'halted', 'undoing', 'waiting'] },
  })
  return rows.find(({ intent }) => (intent as { cluster?: unknown }).cluster === cluster) ?? null
}

/** The ladder of a run: as its cluster was when it began, with how far it has got. Null where that is not known. */
async function climbedBy(gyrarch: Gyrarch, run: ChangeRow) {
  const { cluster: name, to } = run.intent as { readonly cluster: string; readonly to: string }
  if (run.startedAt === null) return null
  const then = await gyrarch
    .fleetAt(run.startedAt)
    .then((fleet) => fleet.view())
    .catch(() => null)
  if (!then) return null
  const published = await gyrarch.registries.published()
  const ordered = orderedUpgrade({ cluster: name, to }, { ...then, published })
  if (!ordered) return null
  const { cluster, upgrade } = ordered
  const rows = await StepRow.findAll({
    where: { change: run.number },
    attributes: ['id', 'state'],
  })
  return {
    from: cluster.release,
    steps: upgrade.steps,
    pools: turnedPools(cluster).map((pool) => ({
      name: pool.name,
      version: releaseOfPool(pool, cluster),
    })),
    addOns: cluster.addOns ?? [],
    progress: upgradeProgress(upgrade.steps, rows),
  }
}

type ClusterData = NonNullable<Route.ComponentProps['loaderData']['cluster']>

const turnedText = {
  anew: 'made anew',
  beside: 'made beside',
  'in-place': 'updated where they are',
} as const

const groupText = (step: ClusterData['steps'][number], cluster: ClusterData): string => {
  if (step.kind === 'control-plane') return 'control plane'
  if (step.kind === 'add-on') return step.name
  const nodes = cluster.pools.find(({ name }) => name === step.pool)?.nodes ?? 0
  return `${step.pool}, ${countText(nodes, 'node')} ${turnedText[cluster.ways[step.pool] ?? 'anew']}`
}

function Steps({ cluster }: { readonly cluster: ClusterData }) {
  return (
    <PlainTable label="Steps in order" heads={['step', 'what', 'from', 'to']}>
      {cluster.steps.map((step, index) => (
        <Row key={`${step.kind} ${step.to} ${index}`}>
          <Cell className="number">{index + 1}</Cell>
          <Cell>{groupText(step, cluster)}</Cell>
          <Cell className="mono">{step.from}</Cell>
          <Cell className="mono">{step.to}</Cell>
        </Row>
      ))}
    </PlainTable>
  )
}

type NodeData = ClusterData['nodes'][number]

const stateOfNode = ({ isReady, isCordoned }: NodeData): 'well' | 'strained' | 'broken' => {
  if (!isReady) return 'broken'
  return isCordoned ? 'strained' : 'well'
}

const nodeText = { well: 'ready', strained: 'takes no pods', broken: 'not ready' } as const

/** What each node runs and how old it is: those that are still to go, and those that came. */
function Nodes({ cluster, now }: { readonly cluster: ClusterData; readonly now: string }) {
  const to = cluster.run?.to ?? cluster.to ?? cluster.release
  const isThere = ({ release }: NodeData): boolean =>
    minorLine(release) === minorLine(to) && compareReleases(release, to) >= 0
  const columns: readonly Column<NodeData>[] = [
    { name: 'node', value: (node) => node.name, show: (node) => <b>{node.name}</b> },
    { name: 'pool', value: (node) => node.pool },
    {
      name: 'runs',
      value: (node) => node.release,
      show: (node) => (
        <span className={isThere(node) ? 'mono release-new' : 'mono release-old'}>
          {node.release}
        </span>
      ),
    },
    {
      name: 'age',
      value: (node) => Date.parse(now) - Date.parse(node.createdAt),
      show: (node) => durationText((Date.parse(now) - Date.parse(node.createdAt)) / 1000),
      number: true,
    },
    {
      name: 'state',
      value: (node) => nodeText[stateOfNode(node)],
      show: (node) => (
        <StateText state={stateOfNode(node)}>{nodeText[stateOfNode(node)]}</StateText>
      ),
    },
  ]
  return (
    <Table
      name="nodes"
      columns={columns}
      rows={cluster.nodes}
      id={(node) => node.name}
      selected={null}
      empty="No node is listed."
    />
  )
}

/** The run that is under way, and how far it has got. */
function Running({ cluster }: { readonly cluster: ClusterData }) {
  const { run, nodes } = cluster
  if (!run) return null
  const there = nodes.filter(({ release }) => compareReleases(release, run.to) >= 0).length
  return (
    <div className="finding" data-level={run.state === 'halted' ? 'stop' : 'note'}>
      <p className="says">
        <StateGlyph state={changeGlyph(run.state)} />{' '}
        <To path={`/changes/${run.id}`}>{run.label}</To>: {run.state}
      </p>
      <p>
        The control plane runs {cluster.release}; {there} of {countText(nodes.length, 'node')}{' '}
        {there === 1 ? 'has' : 'have'} got to {run.to}.
      </p>
    </div>
  )
}

function Reason({ cluster }: { readonly cluster: ClusterData }) {
  const { name, release, to, path, steps, problems, until } = cluster
  if (to === null)
    return (
      <>
        <h2>
          <StateGlyph state="well" /> {name} runs the newest release
        </h2>
        <p className="soft">Nothing in the catalogue is above {release}.</p>
      </>
    )
  const count = (kind: string): number => steps.filter((step) => step.kind === kind).length
  return (
    <>
      <h2>
        <StateGlyph state={problems.length === 0 ? 'well' : 'broken'} />{' '}
        {problems.length === 0
          ? 'There is a way'
          : `${countText(problems.length, 'thing')} in the way`}
      </h2>
      {problems.map(({ says }) => (
        <p key={says}>{says}</p>
      ))}
      {problems.length === 0 ? (
        <>
          <p>
            {countText(count('control-plane'), 'step')} of the control plane,{' '}
            {countText(count('turnover'), 'turnover')}, {countText(count('add-on'), 'step')} of
            add-ons.
            {until === null ? '' : ` ${to} is supported until ${until}.`}
          </p>
          <p className="soft">
            by {listText(path ?? [], 12)}: a control plane goes one minor at a time, and nodes are
            turned over before they lag too far.
          </p>
        </>
      ) : null}
      <div className="acts">
        <DraftChange kind="cluster.upgrade" intent={{ cluster: name, to }} variant="contained">
          Draft it
        </DraftChange>
        <To
          path="/renew/audit"
          query={{ cluster: name, target: to.split('.').slice(0, 2).join('.') }}
        >
          What {to} no longer serves
        </To>
      </div>
      <p className="soft">
        The draft says what stands against it: objects, base images, budgets, windows; each with
        what helps.
      </p>
    </>
  )
}

export default function UpgradesPage({ loaderData }: Route.ComponentProps) {
  const { names, cluster } = loaderData
  const [search] = useSearchParams()
  const navigate = useNavigate()
  const address = useAddress()
  const go = (query: Readonly<Record<string, string | null>>): void =>
    void navigate(address('/renew/upgrades', { ...Object.fromEntries(search), ...query }), {
      preventScrollReset: true,
    })
  return (
    <Page
      title={cluster ? `Renew ${cluster.name}` : 'Upgrades'}
      beside={
        cluster?.to ? (
          <span className="soft mono">
            {cluster.climbed?.from ?? cluster.release} → {cluster.to}
          </span>
        ) : null
      }
      reason={
        cluster ? (
          <>{cluster.run ? <Running cluster={cluster} /> : <Reason cluster={cluster} />}</>
        ) : null
      }
    >
      <RenewTabs here="/renew/upgrades" />
      <div className="renew-page">
        {cluster ? (
          <>
            <div className="ask-form">
              <Choice
                label="Cluster"
                value={cluster.name}
                options={names}
                onChange={(name) => go({ cluster: name, to: null })}
                width={180}
              />
              <Choice
                label="To"
                value={cluster.to ?? ''}
                options={cluster.targets}
                onChange={(to) => go({ cluster: cluster.name, to })}
                width={230}
                unfolds
              />
            </div>
            {cluster.climbed ? <Ladder asked={cluster.climbed} /> : null}
            {cluster.steps.length > 0 ? (
              <>
                {cluster.climbed ? null : (
                  <Ladder
                    asked={{
                      from: cluster.release,
                      steps: cluster.steps,
                      pools: cluster.pools,
                      addOns: cluster.addOns,
                    }}
                  />
                )}
                <Steps cluster={cluster} />
                {cluster.run || cluster.to === null ? null : (
                  <TwoWaysTable cluster={cluster.name} to={cluster.to} />
                )}
              </>
            ) : null}
            <h2>Nodes</h2>
            <Nodes cluster={cluster} now={loaderData.now} />
          </>
        ) : (
          <Empty title="No cluster to renew" first={<To path="/raise">Raise a cluster</To>}>
            There is none yet.
          </Empty>
        )}
      </div>
    </Page>
  )
}
