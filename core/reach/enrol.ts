/** A cluster that exists already joins the fleet, and leaves it: nothing in the cluster itself is altered by either. */
import { z } from 'zod'
import {
  caution,
  type ChangeKind,
  guardedCluster,
  longestPath,
  noCluster,
  note,
  type RawFinding,
  ref,
  type Step,
  stop,
} from '../changes'
import { command, reachKinds } from '../contract'
import { clusterOf, knownObjects, nodesOf } from '../fleet'
import { estimates, nameFindings, step } from '../provisioning'
import { type ApiObject, readObjects } from '../objects'
import { countText } from '../units'
import { mostCharacters, readAccessFile } from './access-file'
import { said } from './says'

const enrolIntent = z.strictObject({
  name: z.string().max(253).default(''),
  reach: z
    .strictObject({
      kind: z.string().max(40).default(''),
      /** Its secrets sealed before anything is kept. */
      accessFile: z.string().optional(),
    })
    .default({ kind: '' }),
  labels: z.record(z.string().max(400), z.string().max(400)).default({}),
})
export type EnrolIntent = z.infer<typeof enrolIntent>

const labelKey =
  /^([a-z0-9]([-a-z0-9.]{0,251}[a-z0-9])?\/)?[A-Za-z0-9]([-A-Za-z0-9_.]{0,61}[A-Za-z0-9])?$/
const labelValue = /^([A-Za-z0-9]([-A-Za-z0-9_.]{0,61}[A-Za-z0-9])?)?$/

/** What stands against labels, in the form that the open API gives them. */
export function labelFindings(labels: Readonly<Record<string, string>>): readonly RawFinding[] {
  const source = { ...said('labels.open-api'), source: 'open API' }
  for (const [key, value] of Object.entries(labels)) {
    if (!labelKey.test(key))
      return [stop('label.key', 'labels', said('label.key', { key }), [source])]
    if (!labelValue.test(value))
      return [stop('label.value', 'labels', said('label.value', { key, value }), [source])]
  }
  return []
}

const fileField = 'reach.accessFile'

function fileFindings(accessFile: string): readonly RawFinding[] {
  const read = readAccessFile(accessFile)
  if (!read.ok) {
    const { code, part } = read.objection
    const sentence = () => {
      switch (code) {
        case 'too-long':
          return said('file.too-long', { limit: mostCharacters })
        case 'no-context':
        case 'no-cluster':
        case 'no-user':
        case 'program':
        case 'path':
        case 'no-sign-in':
          return said(`file.${code}`, { part })
        default:
          return said(`file.${code}`)
      }
    }
    return [stop(`access-file.${code}`, fileField, sentence())]
  }
  const { server: address, context, isUnverified, hasProxy } = read.way
  const because = [{ ...said('file.leads-to', { address, context }), source: 'access file' }]
  return [
    ...(isUnverified
      ? [
          caution(
            'access-file.unverified',
            fileField,
            said('file.unverified', { address }),
            because,
          ),
        ]
      : []),
    ...(hasProxy ? [note('access-file.proxy', fileField, said('file.proxy'), because)] : []),
  ]
}

function reachFindings({ reach }: EnrolIntent): readonly RawFinding[] {
  if (reach.kind === '') return [stop('reach.kind', 'reach', said('reach.missing'))]
  if (reach.kind === 'inbound') return fileFindings(reach.accessFile ?? '')
  if (reach.kind === 'outbound') return [note('reach.relay', 'reach.kind', said('reach.relay'))]
  return [stop('reach.kind', 'reach.kind', said('reach.kind', { kind: reach.kind }))]
}

/** Nothing is tried twice by itself: what stands in the way is somebody’s to mend. */
const once = { attempts: 1, firstSeconds: 1, mostSeconds: 1 } as const

const nothingSpent = { before: 0, after: 0 } as const

/** How many objects there are, and the first that is not as the API has it: a cluster with such an object is a cluster. */
function objectsText(objects: readonly ApiObject[]): string {
  const count = countText(objects.length, 'object')
  const { wrong } = readObjects(objects)
  if (!wrong) return count
  const [, index = '', field = ''] = /^objects\[(\d+)\](.*)$/.exec(wrong.path) ?? []
  const { kind = 'an object', metadata } = objects[Number(index)] ?? {}
  const name = [metadata?.namespace, metadata?.name].filter(Boolean).join('/')
  return `${count}; ${[kind, name].filter(Boolean).join(' ')} is not as the API has it at ${field.replace(/^\./, '') || 'its top'}`
}

export const clusterEnrol: ChangeKind<EnrolIntent> = {
  name: 'cluster.enrol',
  title: 'Enrol a cluster that exists already',
  intent: enrolIntent,
  needs: ({ name }) => [`cluster:${name}`, `objects:${name}`],
  subjects: ({ name }) => [ref('cluster', name)],
  guardedBy: () => null,
  label: ({ name }) => `enrol ${name || 'a cluster'}`,
  check: (intent, view) => [
    ...nameFindings(intent.name, view),
    ...labelFindings(intent.labels),
    ...reachFindings(intent),
  ],
  plan: ({ name, reach, labels }) => {
    const kind = reachKinds.find((each) => each === reach.kind) ?? 'inbound'
    const steps: readonly Step[] = [
      step({
        id: 'open',
        after: [],
        group: name,
        says:
          kind === 'inbound'
            ? 'dialled: who answers, what it lets Gyrarch read, its first lists'
            : 'its agent dials in: what it lets Gyrarch read, its first lists',
        command: command('reach.open', {
          cluster: name,
          kind,
          accessFile: reach.accessFile ?? '',
          labels,
        }),
        undo: command('reach.close', { cluster: name }),
        seconds: kind === 'inbound' ? estimates.dialIn : estimates.dialOut,
        retry: once,
      }),
    ]
    return {
      steps,
      creates: [ref('cluster', name)],
      alters: [],
      removes: [],
      ...longestPath(steps),
      spend: nothingSpent,
      reserves: [{ kind: 'name', site: '', what: name }],
    }
  },
  prove: ({ name }, view) => {
    const cluster = clusterOf(view, name)
    const nodes = cluster ? nodesOf(cluster).length : 0
    const objects = knownObjects(view, name)
    return [
      {
        says: 'It is in the fleet, and heard',
        holds: cluster?.reach?.heard === true,
        observed: cluster?.reach?.says ?? 'not in the fleet',
      },
      { says: 'Its nodes are listed', holds: nodes > 0, observed: countText(nodes, 'node') },
      {
        says: 'What it holds can be read',
        holds: objects !== undefined,
        observed: objects ? objectsText(objects) : 'its lists did not come',
      },
    ]
  },
}

const dismissIntent = z.strictObject({ cluster: z.string().max(253) })
type DismissIntent = z.infer<typeof dismissIntent>

export const clusterDismiss: ChangeKind<DismissIntent> = {
  name: 'cluster.dismiss',
  title: 'Dismiss an enrolled cluster',
  intent: dismissIntent,
  needs: ({ cluster }) => [`cluster:${cluster}`],
  subjects: ({ cluster }) => [ref('cluster', cluster)],
  endsHalted: true,
  guardedBy: ({ cluster }, view) => guardedCluster(cluster, view),
  label: ({ cluster }) => `dismiss ${cluster || 'a cluster'}`,
  check: (intent, view) => {
    const cluster = clusterOf(view, intent.cluster)
    if (!cluster) return [noCluster(intent.cluster, view)]
    return cluster.reach
      ? []
      : [stop('dismiss.own', 'cluster', said('dismiss.own', { cluster: cluster.name }))]
  },
  plan: ({ cluster }) => {
    const steps: readonly Step[] = [
      step({
        id: 'close',
        after: [],
        group: cluster,
        says: 'nobody asks it any more; what signs in there is forgotten, runs that stand halted on it are given up',
        command: command('reach.close', { cluster }),
        final: true,
        seconds: estimates.ledger,
        retry: once,
      }),
    ]
    return {
      steps,
      creates: [],
      alters: [],
      removes: [ref('cluster', cluster)],
      ...longestPath(steps),
      spend: nothingSpent,
      reserves: [],
    }
  },
  after: ({ cluster }, view) => ({
    ...view,
    clusters: view.clusters.filter(({ name }) => name !== cluster),
  }),
  prove: ({ cluster }, view) => [
    {
      says: 'It is not in the fleet any more',
      holds: clusterOf(view, cluster) === undefined,
      observed: clusterOf(view, cluster) ? 'it is still there' : 'not there',
    },
  ],
}
