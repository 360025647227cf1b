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
import { DraftChange } from '../../parts/draft-change'
import { type Column, Table } from '../../parts/table'
import { To, useAddress } from '../../parts/to'
import { aimedCluster, ShapeTabs } from './tabs'
import './shape.css'
import type { Route } from './+types/namespaces'

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

const levelLabel = 'pod-security.kubernetes.io/enforce'

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
      const known = used.get(pod.shape.namespace) ?? { cpu: 0, memory: 0, pods: 0 }
      used.set(pod.shape.namespace, {
        cpu: known.cpu + pod.shape.cpuMilli,
        memory: known.memory + pod.shape.memoryBytes,
        pods: known.pods + 1,
      })
    }
  }
  const rows = named
    .filter((object) => object.kind === 'Namespace')
    .map((object) => {
      const mine = named.filter((other) => other.metadata.namespace === object.metadata.name)
      const hard = mine
        .filter((other) => other.kind === 'ResourceQuota')
        .reduce<Readonly<Record<string, string>>>(
          (all, quota) => ({ ...all, ...quota.spec?.hard }),
          {},
        )
      const may = [sizeAllowance, storageAllowance]
        .flatMap((one) => object.metadata.annotations?.[one] ?? [])
        .join('; ')
      return {
        name: object.metadata.name,
        may,
        ...(used.get(object.metadata.name) ?? { cpu: 0, memory: 0, pods: 0 }),
        hard,
        limits: mine.filter((other) => other.kind === 'LimitRange').length,
        level: object.metadata.labels?.[levelLabel] ?? 'privileged',
        objects: mine.length,
      }
    })
  return {
    cluster: cluster?.name ?? null,
    clusters: view.clusters.map((one) => one.name),
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
  const most = amountOf(entry === 'cpu' ? 'cpu' : 'memory', limit, '')
  return `${shown} of ${entry === 'cpu' ? `${numberText(most)} m` : entry === 'memory' ? bytesText(most) : String(most)}`
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
          {['get', 'list', 'watch', 'create', 'update', 'patch', 'delete'].map((one) => (
            <option key={one} value={one} />
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
          {namespaces.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
      </div>
      <ul className="facts" aria-label="Subjects that can">
        {who.map((one) => (
          <li key={one.subject}>
            <span>{one.subject}</span>
            <span className="source">
              {one.by.join('; ')}
              {one.names.length > 0 ? `, only ${one.names.join(', ')}` : ''}
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
        {subjects.map((one) => (
          <option key={one}>{one}</option>
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

/** Ticks for what is allowed; none ticked is no limit. */
function Allowed({
  title,
  all,
  chosen,
  onChange,
}: {
  readonly title: string
  readonly all: readonly string[]
  readonly chosen: readonly string[]
  readonly onChange: (chosen: readonly string[]) => void
}) {
  if (all.length === 0) return null
  return (
    <fieldset className="ticks">
      <legend>{title}</legend>
      {all.map((one) => (
        <label key={one}>
          <input
            type="checkbox"
            checked={chosen.includes(one)}
            onChange={() =>
              onChange(
                chosen.includes(one) ? chosen.filter((other) => other !== one) : [...chosen, one],
              )
            }
          />{' '}
          <span className="mono">{one}</span>
        </label>
      ))}
      {chosen.length === 0 ? <span className="soft">any</span> : null}
    </fieldset>
  )
}

function NewNamespace({
  cluster,
  offers,
}: {
  readonly cluster: string
  readonly offers: Route.ComponentProps['loaderData']['offers']
}) {
  const [name, setName] = useState('')
  const [cpu, setCpu] = useState('4')
  const [memory, setMemory] = useState('16Gi')
  const [pods, setPods] = useState('20')
  const [level, setLevel] = useState('baseline')
  const [group, setGroup] = useState('')
  const [sizes, setSizes] = useState<readonly string[]>([])
  const [classes, setClasses] = useState<readonly string[]>([])
  const allowances = [
    ...(sizes.length > 0 ? [`${sizeAllowance}: ${JSON.stringify(sizes.join(','))}`] : []),
    ...(classes.length > 0 ? [`${storageAllowance}: ${JSON.stringify(classes.join(','))}`] : []),
  ]
  const text = [
    `apiVersion: v1\nkind: Namespace\nmetadata:\n  name: ${name}\n  labels: {${levelLabel}: ${level}}${allowances.length > 0 ? `\n  annotations: {${allowances.join(', ')}}` : ''}`,
    `apiVersion: v1\nkind: ResourceQuota\nmetadata: {name: room, namespace: ${name}}\nspec:\n  hard: {requests.cpu: ${JSON.stringify(cpu)}, requests.memory: ${JSON.stringify(memory)}, pods: ${JSON.stringify(pods)}}`,
    `apiVersion: v1\nkind: LimitRange\nmetadata: {name: usual, namespace: ${name}}\nspec:\n  limits: [{type: Container, defaultRequest: {cpu: 100m, memory: 128Mi}}]`,
    ...(group === ''
      ? []
      : [
          `apiVersion: rbac.authorization.k8s.io/v1\nkind: Role\nmetadata: {name: roll-out, namespace: ${name}}\nrules:\n  - {apiGroups: [apps, batch], resources: ['*'], verbs: ['*']}\n  - {apiGroups: [''], resources: [pods, pods/log, services, configmaps], verbs: ['*']}`,
          `apiVersion: rbac.authorization.k8s.io/v1\nkind: RoleBinding\nmetadata: {name: ${group}, namespace: ${name}}\nroleRef: {apiGroup: rbac.authorization.k8s.io, kind: Role, name: roll-out}\nsubjects: [{kind: Group, name: ${group}}]`,
        ]),
  ].join('\n---\n')
  return (
    <section aria-label="A new namespace">
      <h3>A new namespace</h3>
      <div className="namespace-form">
        <label>
          Name{' '}
          <input
            className="shape-field mono"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
        </label>
        <label>
          CPU{' '}
          <input
            className="shape-field mono"
            value={cpu}
            onChange={(event) => setCpu(event.target.value)}
            size={6}
          />
        </label>
        <label>
          Memory{' '}
          <input
            className="shape-field mono"
            value={memory}
            onChange={(event) => setMemory(event.target.value)}
            size={6}
          />
        </label>
        <label>
          Pods{' '}
          <input
            className="shape-field mono"
            value={pods}
            onChange={(event) => setPods(event.target.value)}
            size={4}
          />
        </label>
        <label>
          Pod security{' '}
          <select
            className="shape-field"
            value={level}
            onChange={(event) => setLevel(event.target.value)}
          >
            {['privileged', 'baseline', 'restricted'].map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </label>
        <label>
          Group that rolls out{' '}
          <input
            className="shape-field mono"
            value={group}
            onChange={(event) => setGroup(event.target.value)}
            size={12}
          />
        </label>
      </div>
      <Allowed
        title="Machine sizes it may use"
        all={offers.sizes}
        chosen={sizes}
        onChange={setSizes}
      />
      <Allowed
        title="Storage classes it may use"
        all={offers.classes}
        chosen={classes}
        onChange={setClasses}
      />
      <DraftChange
        kind="manifest.apply"
        intent={{ cluster, text }}
        variant="contained"
        disabled={!/^[a-z0-9]([-a-z0-9]{0,61}[a-z0-9])?$/.test(name)}
      >
        Draft the namespace
      </DraftChange>
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
              {clusters.map((one) => (
                <Button
                  key={one}
                  variant="outlined"
                  onClick={() =>
                    void navigate(address('/shape/namespaces', { aim: `cluster/${one}` }))
                  }
                >
                  {one}
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
