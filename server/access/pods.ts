/** Pods asked from inside, and what they have written. */
import type { ProbeKind } from '~/core/contract'
import { Refusal } from '../changes/errors'
import type { Gyrarch } from '../gyrarch'
import { mustBeInside } from './inside'

const noPod = (cluster: string, pod: string): Refusal =>
  new Refusal(
    'not-found',
    `${cluster} has no pod ${pod.slice(0, 200)}, or its API does not answer.`,
  )

/** What a pod has written lately, oldest first. */
export async function podLog(
  gyrarch: Gyrarch,
  cluster: string,
  pod: string,
  lines: number,
): Promise<readonly string[]> {
  const { name } = await gyrarch.cluster(cluster)
  const written = await gyrarch.observe.podLog(name, pod, lines)
  if (!written) throw noPod(cluster, pod)
  return written
}

/** Asks a pod from inside, and writes down who was asked what. */
export async function probePod(
  gyrarch: Gyrarch,
  cluster: string,
  pod: string,
  kind: ProbeKind,
  target: string,
): Promise<{ readonly good: boolean; readonly lines: readonly string[] }> {
  const asked = await gyrarch.cluster(cluster)
  mustBeInside(asked)
  const answer = await gyrarch.observe.probe(asked.name, pod, kind, target)
  if (!answer) throw noPod(cluster, pod)
  await gyrarch.journalLine({
    kind: 'pod.probed',
    params: { cluster, pod, probe: kind, target, good: answer.good },
    about: `pod/${cluster}/${pod}`,
    says: `${kind}${target === '' ? '' : ` ${target}`} from ${pod}: ${answer.lines.at(-1) ?? ''}`,
  })
  return answer
}
