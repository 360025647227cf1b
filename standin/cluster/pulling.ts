/** Nodes that pull images: from where they are redirected, else from the registry that the name says. */
import {
  accessRefusal,
  type AccessRefusal,
  brokenRule,
  imageRuleIn,
  lookedFor,
} from '../../core/contract'
import { heldDigest } from '../registry/held'
import { imageParts, list, record as fields, templateOf, text } from './manifests'
import type { Sim } from '../engine/sim'
import { addressNamed, obstacleTo } from '../traffic/reach'
import type { Cluster, Workload, World } from '../world'

export interface NotPulled {
  readonly why: string
  /** It may be there: its registry could not be asked. */
  readonly isThere: boolean
  /** Its registry gives it to others. */
  readonly isDenied?: boolean
}

/** Who pulls: a node, by its address, for a namespace or for none. */
export interface Puller {
  readonly address: string | null
  readonly namespace: string | null
}

const refusals: Readonly<Record<AccessRefusal, string>> = {
  missing: 'no credential was shown',
  ended: 'the credential that was shown has ended',
  elsewhere: 'the credential that was shown is for other repositories',
  purpose: 'the credential that was shown is not for this',
}

/** Whether a registry gives an image to whoever pulls it for a namespace. */
function deniedBy(
  sim: Sim,
  cluster: Cluster,
  name: string,
  namespace: string | null,
): NotPulled | null {
  const host = name.split('/')[0] ?? ''
  const access = sim.world.access?.[host]
  if (!access) return null
  const repository = imageParts(name).repository.slice(host.length + 1)
  const shown = (cluster.pullsAs ?? []).find(
    (candidate) => candidate.registry === host && candidate.namespace === namespace,
  )
  const refusal = accessRefusal(access, repository, 'pull', shown ?? null, sim.now)
  return refusal === null
    ? null
    : {
        why: `pull access denied, repository does not exist or may require authorization: ${refusals[refusal]}`,
        isThere: true,
        isDenied: true,
      }
}

function notPulledFrom(
  sim: Sim,
  cluster: Cluster,
  name: string,
  { address, namespace }: Puller,
): NotPulled | null {
  const site = sim.site(cluster.site)
  const registry = site ? addressNamed(sim, site, name.split('/')[0] ?? '') : null
  const obstacle =
    site && address !== null && registry !== null
      ? obstacleTo(sim, site, address, registry, 443)
      : null
  if (obstacle)
    return { why: `its registry is not reached: ${obstacle.stopped.says}`, isThere: true }
  const denied = deniedBy(sim, cluster, name, namespace)
  if (denied) return denied
  return sim.world.images && heldDigest(sim.world, name) === null
    ? { why: 'not found in its registry', isThere: false }
    : null
}

/** What a fault about a workload does to pulls of its image in its cluster: its registry is silent, or gives it to nobody. */
function faultOn(sim: Sim, cluster: Cluster, image: string): NotPulled | null {
  for (const { kind, about } of sim.world.faults) {
    if (kind !== 'registry-silent' && kind !== 'registry-denies') continue
    const [, of, namespace, name] = about.split('/')
    const workload = cluster.workloads.find(
      (each) => of === cluster.name && each.namespace === namespace && each.name === name,
    )
    if (!workload || imageOf(workload) !== image) continue
    return kind === 'registry-silent'
      ? { why: 'its registry is not reached: no answer', isThere: true }
      : {
          why: 'pull access denied, repository does not exist or may require authorization: the credential that was shown is not for this',
          isThere: true,
          isDenied: true,
        }
  }
  return null
}

/** The image of a workload’s first container. */
export const imageOf = (workload: Workload): string =>
  text(fields(list(fields(templateOf(workload)['spec'])['containers'])[0])['image'])

/** Why a node cannot pull an image, by the last registry it asked; null where it can. */
export function notPulled(
  sim: Sim,
  cluster: Cluster,
  image: string,
  puller: Puller,
): NotPulled | null {
  if (cluster.anyImage === true) return null
  const broken = faultOn(sim, cluster, image)
  if (broken) return broken
  let last: NotPulled | null = null
  for (const name of lookedFor(cluster.redirects, image)) {
    last = notPulledFrom(sim, cluster, name, puller)
    if (last === null) return null
  }
  return last
}

/** The digest that a pull of an image brings; null where no registry that is asked holds it. */
export function pulledDigest(world: World, cluster: Cluster, image: string): string | null {
  for (const name of lookedFor(cluster.redirects, image)) {
    const digest = heldDigest(world, name)
    if (digest !== null) return digest
  }
  return null
}

/** Why an image that could be pulled may not be used in a namespace, by what is known of its digest; null where it may. */
export function heldBack(
  world: World,
  cluster: Cluster,
  namespace: string,
  image: string,
): NotPulled | null {
  const object = cluster.objects?.find(
    (candidate) => candidate.kind === 'Namespace' && candidate.metadata.name === namespace,
  )
  const rule = imageRuleIn(object?.metadata.annotations)
  if (!rule.signed && rule.below === null) return null
  const digest = pulledDigest(world, cluster, image)
  const judged = digest === null ? undefined : world.judged?.[digest]
  const broken = judged ? brokenRule(rule, judged) : null
  if (broken === null || !judged) return null
  return {
    why:
      broken === 'signature'
        ? `signature validation failed: namespace ${namespace} takes only signed images`
        : `held back: namespace ${namespace} takes no image with a finding of ${rule.below ?? ''} or above, and it has one of ${judged.worst ?? ''}`,
    isThere: true,
  }
}

/** What a runtime says of an image that it could not pull. */
export function pullText({
  image,
  why,
  isThere,
  isDenied,
}: NotPulled & { readonly image: string }): string {
  const failed = `failed to pull and unpack image "${image}"`
  if (!isThere)
    return `rpc error: code = NotFound desc = ${failed}: failed to resolve reference "${image}": ${image}: not found`
  if (isDenied === true) return `rpc error: code = Unknown desc = ${failed}: ${why}`
  return /not reached/.test(why)
    ? `rpc error: code = Unknown desc = ${failed}: failed to do request: Head "https://${image.split('/')[0] ?? ''}/v2/": dial tcp: i/o timeout (${why})`
    : `rpc error: code = Unknown desc = ${failed}: ${why}`
}
