/** The way of a cluster from its release to another: the ladder of its steps, what stands against it, and the draft. */
import { useNavigate, useSearchParams } from 'react-router'
import { newestFirst } from '~/core/releases'
import { orderedUpgrade, releaseOfPool, turnedPools } from '~/core/releases/changes'
import { compareReleases, countText, listText, minorLine } from '~/core/units'
import { gyrarchContext } from '../../context'
import { Ladder } from '../../drawings/ladder'
import { Page } from '../../frame/page'
import { Choice } from '../../kit/choice'
import { Empty } from '../../kit/empty'
import { PlainTable, Cell, Row } from '../../kit/plain-table'
import { DraftChange } from '../../parts/draft-change'
import { StateGlyph } from '../../parts/state'
import { To, useAddress } from '../../parts/to'
import { fleetAsked } from '../moment'
import { aimedCluster } from '../shape/tabs'
import { RenewTabs } from './tabs'
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
  if (!cluster) return { names, cluster: null }
  const targets = newestFirst(view.catalogue).filter(
    ({ version, withdrawn }) => withdrawn === null && compareReleases(version, cluster.release) > 0,
  )
  const today = view.now.slice(0, 10)
  const supported = targets.filter(({ endOfSupport }) => endOfSupport >= today)
  const wanted = searchParams.get('to') ?? ''
  // Without a wish: the newest patch of the nearest minor that is supported.
  const nearest = minorLine(supported.at(-1)?.version ?? '')
  const to =
    targets.find(({ version }) => version === wanted) ??
    supported.find(({ version }) => minorLine(version) === nearest) ??
    targets[0] ??
    null
  const ordered = to && orderedUpgrade({ cluster: cluster.name, to: to.version }, view)
  return {
    names,
    cluster: {
      name: cluster.name,
      release: cluster.release,
      to: to?.version ?? null,
      until: to?.endOfSupport ?? null,
      targets: targets.map(({ version, endOfSupport }) => ({
        value: version,
        says:
          endOfSupport < today ? `${version}, out of support` : `${version}, until ${endOfSupport}`,
      })),
      pools: turnedPools(cluster).map((pool) => ({
        name: pool.name,
        version: releaseOfPool(pool, cluster),
        nodes: pool.nodes.length,
      })),
      addOns: cluster.addOns ?? [],
      path: ordered?.upgrade.path ?? null,
      steps: ordered?.upgrade.steps ?? [],
      problems: ordered?.upgrade.problems ?? [],
    },
  }
}

type ClusterData = NonNullable<Route.ComponentProps['loaderData']['cluster']>

const groupText = (step: ClusterData['steps'][number], pools: ClusterData['pools']): string => {
  if (step.kind === 'control-plane') return 'control plane'
  if (step.kind === 'add-on') return step.name
  const nodes = pools.find(({ name }) => name === step.pool)?.nodes ?? 0
  return `${step.pool}, ${countText(nodes, 'node')} made anew`
}

function Steps({ cluster }: { readonly cluster: ClusterData }) {
  return (
    <PlainTable label="Steps in order" heads={['step', 'what', 'from', 'to']}>
      {cluster.steps.map((step, index) => (
        <Row key={`${step.kind} ${step.to} ${index}`}>
          <Cell className="number">{index + 1}</Cell>
          <Cell>{groupText(step, cluster.pools)}</Cell>
          <Cell className="mono">{step.from}</Cell>
          <Cell className="mono">{step.to}</Cell>
        </Row>
      ))}
    </PlainTable>
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
            {cluster.release} → {cluster.to}
          </span>
        ) : null
      }
      reason={cluster ? <Reason cluster={cluster} /> : null}
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
            {cluster.steps.length > 0 ? (
              <>
                <Ladder
                  asked={{
                    from: cluster.release,
                    steps: cluster.steps,
                    pools: cluster.pools,
                    addOns: cluster.addOns,
                  }}
                />
                <Steps cluster={cluster} />
              </>
            ) : null}
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
