/** Namespaces of a cluster: what each may use and does, how strict it is with its pods, and who may do what in it. */
import { clusterOf, rightsIn } from '~/core/fleet'
import { levelLabel, sizeAllowance, storageAllowance } from '~/core/manifests'
import { ofKind, record, text } from '~/core/objects'
import { readWorld } from '~/core/placement'
import { bytesText, listText, numberText } from '~/core/units'
import { breath } from '~/server/breath'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Attention, type AttentionProps } from '../../parts/attention'
import { allowed, hardLimits, isNearQuota, type Resource } from './quota'
import { Notice } from '../../kit/notice'
import { type Column, Table } from '../../kit/table/table'
import { To } from '../../parts/to'
import { aimedCluster, ShapeTabs } from './tabs'
import './shape.css'
import { fleetAsked } from '../moment'
import type { Route } from './+types/namespaces'
import { NewNamespace } from './new-namespace'
import { ChooseCluster } from '../../parts/choose-cluster'
import { WhoCan } from './who-can'

export const meta: Route.MetaFunction = () => [{ title: 'Namespaces · Gyrarch' }]

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const view = await fleet.view()
  const name = aimedCluster(request)
  const cluster = name === null ? undefined : clusterOf(view, name)
  const objects = cluster ? ((await fleet.objectsOf(cluster.name)) ?? []) : []
  await breath()
  const read = readWorld(objects)
  await breath()
  const used = new Map<string, { cpu: number; memory: number; pods: number }>()
  if (read.ok) {
    for (const pod of read.world.pods) {
      if (pod.isFinished) continue
      const existing = used.get(pod.shape.namespace) ?? { cpu: 0, memory: 0, pods: 0 }
      used.set(pod.shape.namespace, {
        cpu: existing.cpu + pod.shape.cpuMilli,
        memory: existing.memory + pod.shape.memoryBytes,
        pods: existing.pods + 1,
      })
    }
  }
  const rows = ofKind(objects, 'Namespace').map(({ metadata }) => {
    const inside = objects.filter((candidate) => candidate.metadata?.namespace === metadata.name)
    const annotations = record(metadata['annotations'])
    const may = [sizeAllowance, storageAllowance]
      .map((name) => text(annotations[name]))
      .filter((allowance) => allowance !== '')
      .join('; ')
    return {
      name: metadata.name,
      may,
      ...(used.get(metadata.name) ?? { cpu: 0, memory: 0, pods: 0 }),
      hard: hardLimits(
        inside
          .filter((object) => object.kind === 'ResourceQuota')
          .map((quota) => record(record(quota['spec'])['hard'])),
      ),
      limits: inside.filter((candidate) => candidate.kind === 'LimitRange').length,
      level: metadata.labels?.[levelLabel] ?? 'privileged',
      objects: inside.length,
    }
  })
  return {
    cluster: cluster?.name ?? null,
    clusters: view.clusters.map((eachCluster) => eachCluster.name),
    rows,
    unread: read.ok ? null : `${read.path}: ${read.says}`,
    rights: rightsIn(objects),
    // Gyrarch signs nobody in where somebody else does.
    signs: cluster?.apiAnswers === true && !cluster.reach,
    offers: {
      sizes: [
        ...new Set((cluster?.pools ?? []).flatMap((pool) => (pool.size === '' ? [] : [pool.size]))),
      ].sort(),
      classes: ofKind(objects, 'StorageClass').map(({ metadata }) => metadata.name),
    },
  }
}

type Row = Route.ComponentProps['loaderData']['rows'][number]

const amountText = {
  cpu: (milli: number): string => `${numberText(milli)} m`,
  memory: bytesText,
  pods: String,
}

function quotaText(row: Row, resource: Resource): string {
  const text = amountText[resource]
  const limit = allowed(row, resource)
  const shown = text(row[resource])
  return limit === null ? shown : `${shown} of ${text(limit)}`
}

const columns: readonly Column<Row>[] = [
  {
    name: 'namespace',
    value: (row) => row.name,
    show: (row) => <span className="mono">{row.name}</span>,
  },
  {
    name: 'CPU asked',
    value: (row) => row.cpu,
    show: (row) => quotaText(row, 'cpu'),
    number: true,
  },
  {
    name: 'memory asked',
    value: (row) => row.memory,
    show: (row) => quotaText(row, 'memory'),
    number: true,
  },
  { name: 'pods', value: (row) => row.pods, show: (row) => quotaText(row, 'pods'), number: true },
  {
    name: 'limits',
    value: (row) => row.limits,
    show: (row) => (row.limits === 0 ? 'none' : 'set'),
  },
  { name: 'pod security', value: (row) => row.level },
  {
    name: 'may use',
    value: (row) => row.may,
    show: (row) => (row.may === '' ? 'anything' : <span className="mono">{row.may}</span>),
  },
  { name: 'objects', value: (row) => row.objects, number: true },
]

function quotasText(rows: readonly Row[]): AttentionProps {
  const near = rows.filter(isNearQuota).map((row) => row.name)
  const isBounded = rows.some((row) => Object.keys(row.hard).length > 0)
  return {
    wants: near.length > 0 ? [`near a quota: ${listText(near, 3)}`] : [],
    well: isBounded ? 'none is near its quota' : 'none has a quota',
  }
}

export default function Namespaces({ loaderData }: Route.ComponentProps) {
  const { cluster, clusters, rows, rights, signs, offers, unread } = loaderData
  return (
    <Page
      title={cluster === null ? 'Namespaces' : `Namespaces of ${cluster}`}
      beside={cluster === null ? null : <Attention {...quotasText(rows)} />}
      reason={
        cluster === null ? (
          <p className="soft">
            A namespace is a team’s share of a cluster: what it may ask for, who may act in it and
            how strictly its pods are held.
          </p>
        ) : (
          <WhoCan
            cluster={cluster}
            signs={signs}
            rights={rights}
            namespaces={rows.map((row) => row.name)}
          />
        )
      }
    >
      <ShapeTabs here="/shape/namespaces" />
      {cluster === null ? (
        <ChooseCluster
          clusters={clusters}
          path="/shape/namespaces"
          title="Namespaces belong to a cluster"
          says="Point at one to see what each may use and who may act in it."
        />
      ) : (
        <div className="scroll" tabIndex={0} role="region" aria-label="Namespaces and a new one">
          {unread === null ? null : (
            <Notice level="caution">
              What its pods ask for cannot be added up, so none of it is counted here. {unread}
            </Notice>
          )}
          <Table
            name="namespaces"
            columns={columns}
            rows={rows}
            id={(row) => row.name}
            empty="The API does not answer, so its namespaces are not known."
          />
          <NewNamespace cluster={cluster} offers={offers} />
          <p>
            <To path="/shape/manifests">Write it as a manifest</To>
          </p>
        </div>
      )}
    </Page>
  )
}
