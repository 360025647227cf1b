/** Namespaces of a cluster: what each may use and does, how strict it is with its pods, and who may do what in it. */
import Button from '@mui/material/Button'
import { useMemo, useState } from 'react'
import { useNavigate } from 'react-router'
import { clusterOf, rightsIn, whatCan, whoCan } from '~/core/fleet'
import { sizeAllowance, storageAllowance } from '~/core/manifests'
import { amountOf } from '~/core/objects'
import { readWorld } from '~/core/placement'
import { bytesText, numberText } from '~/core/units'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { type Column, Table } from '../../parts/table'
import { To, useAddress } from '../../parts/to'
import { aimedCluster, ShapeTabs } from './tabs'
import './shape.css'
import type { Route } from './+types/namespaces'
import { levelLabel, NewNamespace } from './new-namespace'

export const meta: Route.MetaFunction = () => [{ title: 'Namespaces · Gyrarch' }]

interface Named {
  readonly kind: string
  readonly metadata: {
    readonly name: string
    readonly namespace?: string
    readonly labels?: Readonly<Record<string, string>>
    readonly annotations?: Readonly<Record<string, string>>
  }
  readonly spec?: {
    readonly hard?: Readonly<Record<string, string>>
    readonly limits?: readonly unknown[]
  }
}

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const view = await gyrarch.fleet.view()
  const name = aimedCluster(request)
  const cluster = name === null ? undefined : clusterOf(view, name)
  const objects = cluster ? ((await gyrarch.fleet.objectsOf(cluster.name)) ?? []) : []
  const named = objects as unknown as readonly Named[]
  const read = readWorld(objects)
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
  const rows = named
    .filter((object) => object.kind === 'Namespace')
    .map((object) => {
      const nameds = named.filter(
        (candidate) => candidate.metadata.namespace === object.metadata.name,
      )
      const hard = nameds
        .filter((candidate) => candidate.kind === 'ResourceQuota')
        .reduce<Readonly<Record<string, string>>>(
          (all, quota) => ({ ...all, ...quota.spec?.hard }),
          {},
        )
      const may = [sizeAllowance, storageAllowance]
        .flatMap((text) => object.metadata.annotations?.[text] ?? [])
        .join('; ')
      return {
        name: object.metadata.name,
        may,
        ...(used.get(object.metadata.name) ?? { cpu: 0, memory: 0, pods: 0 }),
        hard,
        limits: nameds.filter((candidate) => candidate.kind === 'LimitRange').length,
        level: object.metadata.labels?.[levelLabel] ?? 'privileged',
        objects: nameds.length,
      }
    })
  return {
    cluster: cluster?.name ?? null,
    clusters: view.clusters.map((eachCluster) => eachCluster.name),
    rows,
    rights: rightsIn(objects),
    offers: {
      sizes: [
        ...new Set((cluster?.pools ?? []).flatMap((pool) => (pool.size === '' ? [] : [pool.size]))),
      ].sort(),
      classes: named
        .filter((object) => object.kind === 'StorageClass')
        .map((object) => object.metadata.name),
    },
  }
}

type Row = Route.ComponentProps['loaderData']['rows'][number]

function quotaText(row: Row, entry: 'cpu' | 'memory' | 'pods'): string {
  const limit = row.hard[entry === 'pods' ? 'pods' : `requests.${entry}`] ?? row.hard[entry]
  let shown: string
  if (entry === 'cpu') shown = `${numberText(row.cpu)} m`
  else if (entry === 'memory') shown = bytesText(row.memory)
  else shown = String(row.pods)
  if (limit === undefined) return shown
  const amount = amountOf(entry === 'cpu' ? 'cpu' : 'memory', limit, '')
  return `${shown} of ${entry === 'cpu' ? `${numberText(amount)} m` : entry === 'memory' ? bytesText(amount) : String(amount)}`
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

function WhoCan({
  rights,
  namespaces,
}: {
  readonly rights: Route.ComponentProps['loaderData']['rights']
  readonly namespaces: readonly string[]
}) {
  const [verb, setVerb] = useState('get')
  const [resource, setResource] = useState('pods')
  const [namespace, setNamespace] = useState('')
  const [subject, setSubject] = useState('')
  const who = useMemo(
    () => whoCan(rights, verb.trim(), resource.trim(), namespace === '' ? null : namespace),
    [rights, verb, resource, namespace],
  )
  const subjects = useMemo(
    () => [...new Set(rights.map((right) => right.subject))].sort(),
    [rights],
  )
  const what = useMemo(() => whatCan(rights, subject), [rights, subject])
  return (
    <section aria-label="Who can">
      <h3>Who can</h3>
      <div className="who-can">
        <input
          className="shape-field mono"
          aria-label="Verb"
          value={verb}
          onChange={(event) => setVerb(event.target.value)}
          size={7}
          list="verbs"
        />
        <datalist id="verbs">
          {['get', 'list', 'watch', 'create', 'update', 'patch', 'delete'].map((name) => (
            <option key={name} value={name} />
          ))}
        </datalist>
        <input
          className="shape-field mono"
          aria-label="Resource"
          value={resource}
          onChange={(event) => setResource(event.target.value)}
          size={13}
          title="Like pods, pods/log or deployments.apps"
        />
        <select
          className="shape-field"
          aria-label="In namespace"
          value={namespace}
          onChange={(event) => setNamespace(event.target.value)}
        >
          <option value="">anywhere</option>
          {namespaces.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      </div>
      <ul className="facts" aria-label="Subjects that can">
        {who.map((whoCan) => (
          <li key={whoCan.subject}>
            <span>{whoCan.subject}</span>
            <span className="source">
              {whoCan.by.join('; ')}
              {whoCan.names.length > 0 ? `, only ${whoCan.names.join(', ')}` : ''}
            </span>
          </li>
        ))}
        {who.length === 0 ? <li className="soft">No binding lets anybody.</li> : null}
      </ul>
      <h3>What can</h3>
      <select
        className="shape-field"
        aria-label="Subject"
        value={subject}
        onChange={(event) => setSubject(event.target.value)}
      >
        <option value="">a subject…</option>
        {subjects.map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>
      {subject === '' ? null : (
        <ul className="facts" aria-label={`What ${subject} can`}>
          {what.map((right, i) => (
            <li key={i}>
              <span>
                {right.verbs.join(', ')} {right.resources.join(', ')}
              </span>
              <span className="source">{right.namespace ?? 'anywhere'}</span>
            </li>
          ))}
        </ul>
      )}
    </section>
  )
}

export default function Namespaces({ loaderData }: Route.ComponentProps) {
  const { cluster, clusters, rows, rights, offers } = loaderData
  const navigate = useNavigate()
  const address = useAddress()
  return (
    <Page
      title={cluster === null ? 'Namespaces' : `Namespaces of ${cluster}`}
      reason={
        cluster === null ? (
          <>
            <p>Namespaces belong to a cluster. Point at one:</p>
            <div className="acts">
              {clusters.map((name) => (
                <Button
                  key={name}
                  variant="outlined"
                  onClick={() =>
                    void navigate(address('/shape/namespaces', { aim: `cluster/${name}` }))
                  }
                >
                  {name}
                </Button>
              ))}
            </div>
          </>
        ) : (
          <>
            <WhoCan rights={rights} namespaces={rows.map((row) => row.name)} />
            <NewNamespace cluster={cluster} offers={offers} />
            <p>
              <To path="/shape/manifests">Write it as a manifest</To>
            </p>
          </>
        )
      }
    >
      <ShapeTabs here="/shape/namespaces" />
      <Table
        name="namespaces"
        columns={columns}
        rows={rows}
        id={(row) => row.name}
        empty={
          cluster === null
            ? 'Point at a cluster to see its namespaces.'
            : 'Its API does not answer.'
        }
      />
    </Page>
  )
}
