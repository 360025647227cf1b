/** What somebody who has a case looks at next: read where it stands, and kept in sight from then on. */
import type { Observe } from '~/core/contract'
import type { Log } from '~/core/diagnosis'
import { type ApiObject, podsOfWorkload, record, records, text } from '~/core/objects'

export interface Probed {
  /** What was read, as `pod/namespace/name`, `node/name`, `cluster`: it is read again at every later look. */
  readonly refs: readonly string[]
  readonly logs: readonly Log[]
}

/** So many pods of one workload are read, and lines of each. */
const mostPods = 3
export const probeLines = 200

const keyOf = ({ metadata }: ApiObject): string =>
  `${metadata?.namespace ?? 'default'}/${metadata?.name ?? ''}`

/** The pods that stand for a subject. */
function podsFor(about: string, objects: readonly ApiObject[]): readonly ApiObject[] {
  const [kind = '', namespace = '', name = ''] = about.split('/')
  if (kind === 'pod')
    return objects.filter(
      (object) => object.kind === 'Pod' && keyOf(object) === `${namespace}/${name}`,
    )
  return podsOfWorkload(objects, `${namespace}/${name}`).slice(0, mostPods)
}

/** Refs of logs that a probe of a subject reads. */
function refsFor(probe: string, about: string, objects: readonly ApiObject[]): readonly string[] {
  const pods = podsFor(about, objects)
  const nodesOf = (all: readonly ApiObject[]): readonly string[] =>
    all.flatMap((pod) => {
      const node = text(record(record(pod)['spec'])['nodeName'])
      return node === '' ? [] : [`node/${node}`]
    })
  switch (probe) {
    case 'pod-log':
      return pods.map((pod) => `pod/${keyOf(pod)}`)
    case 'node-log':
      return about.startsWith('node/') ? [about] : [...new Set(nodesOf(pods))]
    case 'store':
      return ['cluster']
    default:
      return [...new Set([...pods.map((pod) => `pod/${keyOf(pod)}`), ...nodesOf(pods)])]
  }
}

/** Reads one log; none where nothing can be read. */
export async function readLog(
  observe: Pick<Observe, 'nodeLog' | 'podLog'>,
  cluster: string,
  from: string,
): Promise<readonly Log[]> {
  const [kind = '', ...rest] = from.split('/')
  const lines =
    kind === 'pod'
      ? await observe.podLog(cluster, rest.join('/'), probeLines)
      : await observe.nodeLog(cluster, kind === 'node' ? (rest[0] ?? '') : null, probeLines)
  return lines && lines.length > 0 ? [{ from, lines }] : []
}

/** Whether the name of each image’s registry is found and answers, asked from beside a pod. */
async function registryLog(
  observe: Pick<Observe, 'probe'>,
  cluster: string,
  pods: readonly ApiObject[],
): Promise<readonly Log[]> {
  const logs: Log[] = []
  for (const pod of pods.slice(0, 1)) {
    const images = records(record(record(pod)['spec'])['containers']).map(({ image }) =>
      text(image),
    )
    const registries = new Set(images.flatMap((image) => image.split('/')[0] ?? []))
    for (const registry of registries) {
      const answer = await observe.probe(cluster, keyOf(pod), 'connect', `${registry}:443`)
      if (answer) logs.push({ from: `pod/${keyOf(pod)}`, lines: answer.lines })
    }
  }
  return logs
}

/** Does what a probe says. */
export async function probed(
  observe: Pick<Observe, 'nodeLog' | 'podLog' | 'probe'>,
  cluster: string,
  probe: string,
  about: string,
  objects: readonly ApiObject[],
): Promise<Probed> {
  if (probe === 'reach')
    return { refs: [], logs: await registryLog(observe, cluster, podsFor(about, objects)) }
  const refs = refsFor(probe, about, objects)
  const logs: Log[] = []
  for (const ref of refs) logs.push(...(await readLog(observe, cluster, ref)))
  return { refs, logs }
}
