/**
 * The smallest remedies for a pod that waits: less of a resource, one more node of a pool, a toleration, a node uncordoned,
 * a selector or a spread given up. Each is proven by placing the pod alone, with the remedy, on the state at its turn.
 */
import { amountOf, type Container, type NodeObject, type PodObject } from '../objects'
import { MiB, numberText } from '../units'
import { chooseFor } from './choose'
import {
  CORDONED,
  FITS,
  look,
  RESOURCES,
  SELECTOR,
  shortOf,
  SPREAD,
  TAINT,
  VOLUME,
  verdict,
  type Look,
} from './filters'
import { freshName, oneMore, poolLabel, sizeLabel, templates } from './new-node'
import type { Room } from './room'
import { compileShape, tolerates } from './shape'
import type { Pod, World } from './world'

export interface PatchStep {
  readonly op: 'add' | 'replace' | 'remove'
  readonly path: string
  readonly value?: unknown
}

export interface PlacementRemedy {
  readonly says: string
  /** JSON Patch (RFC 6902) on the document that holds `/objects`. */
  readonly patch: readonly PatchStep[]
  readonly kind: 'request' | 'node' | 'toleration' | 'uncordon' | 'selector' | 'spread'
  /** The pod as it would be, or the node that would be added or changed. */
  readonly pod?: PodObject
  readonly node?: NodeObject
}

const cordonKey = 'node.kubernetes.io/unschedulable'

const mostRemedies = 6

const pathOf = (pod: Pod): string => `/objects${pod.pointer}`

/** The same remedy for another pod of identical spec. */
export function retarget(remedy: PlacementRemedy, pod: Pod): PlacementRemedy {
  if (!remedy.pod) return remedy
  return {
    ...remedy,
    pod: { ...remedy.pod, metadata: pod.object.metadata },
    patch: remedy.patch.map((step) => ({
      ...step,
      path: step.path.replace(/^\/objects(?:\/items|\/\d+)*/, pathOf(pod)),
    })),
  }
}

/** Whether the pod finds a place once the remedy is applied. */
export function proves(world: World, pod: Pod, remedy: PlacementRemedy): boolean {
  const { room } = world
  if (remedy.node)
    return remedy.kind === 'uncordon'
      ? fitsUncordoned(room, pod, remedy.node)
      : fitsOnNew(room, pod, remedy.node) !== null
  return (
    remedy.pod !== undefined &&
    chooseFor(room, compileShape(remedy.pod, 'objects', world.labelsOf)).node >= 0
  )
}

/** Adds a node, asks, and takes it off again: the verdict’s node is the new one or none. */
function fitsOnNew(room: Room, pod: Pod, node: NodeObject): string | null {
  if (room.isFull) return null
  const index = room.addNode(node, 'node')
  const fits = verdict(room, look(room, pod.shape), index) === FITS
  room.dropLastNode()
  return fits ? node.metadata.name : null
}

function fitsUncordoned(room: Room, pod: Pod, node: NodeObject): boolean {
  const index = room.nodeIndex(node.metadata.name)
  // The taint of the cordon goes with it; all others must be tolerated.
  const stays = (node.spec?.taints ?? []).filter(
    (taint) => taint.key !== cordonKey && taint.effect !== 'PreferNoSchedule',
  )
  const open = stays.every((taint) =>
    (pod.object.spec?.tolerations ?? []).some((toleration) => tolerates(toleration, taint)),
  )
  return index >= 0 && open && verdict(room, look(room, pod.shape), index, SELECTOR) === FITS
}

interface Place {
  readonly list: 'containers' | 'initContainers'
  readonly index: number
  readonly container: Container
  readonly amount: number
  readonly field: 'requests' | 'limits'
}

/** The container that asks for most of a resource. */
function largest(pod: PodObject, resource: string): Place | null {
  let place: Place | null = null
  for (const list of ['containers', 'initContainers'] as const) {
    for (const [index, container] of (pod.spec?.[list] ?? []).entries()) {
      const requested = container.resources?.requests?.[resource]
      const given = requested ?? container.resources?.limits?.[resource]
      if (given === undefined) continue
      const amount = amountOf(resource, given, '')
      if (!place || amount > place.amount)
        place = {
          list,
          index,
          container,
          amount,
          field: requested === undefined ? 'limits' : 'requests',
        }
    }
  }
  return place
}

const escape = (key: string): string => key.replaceAll('~', '~0').replaceAll('/', '~1')

/** The pod with less of a resource, as patch and as object; null where one container cannot give that much. */
function less(
  pod: Pod,
  resource: 'cpu' | 'memory',
  by: number,
): (Pick<PlacementRemedy, 'patch' | 'pod'> & { readonly in: string; readonly by: number }) | null {
  const { object } = pod
  const path = pathOf(pod)
  const own = object.spec?.resources?.requests?.[resource]
  const place = own === undefined ? largest(object, resource) : null
  const amount = own === undefined ? place?.amount : amountOf(resource, own, '')
  if (amount === undefined || amount <= by) return null
  let left: number
  if (resource === 'cpu') left = amount - by
  else if (amount - by >= MiB) left = Math.floor((amount - by) / MiB) * MiB
  else left = amount - by
  let text: string
  if (resource === 'cpu') text = `${left}m`
  else if (left % MiB === 0) text = `${left / MiB}Mi`
  else text = String(left)
  if (own !== undefined) {
    const resources = {
      ...object.spec?.resources,
      requests: { ...object.spec?.resources?.requests, [resource]: text },
    }
    return {
      in: object.metadata.name,
      by: amount - left,
      pod: { ...object, spec: { ...object.spec, resources } },
      patch: [{ op: 'replace', path: `${path}/spec/resources/requests/${resource}`, value: text }],
    }
  }
  if (!place) return null
  const { container, list, index } = place
  const changed: Container = {
    ...container,
    resources: {
      ...container.resources,
      requests: { ...container.resources?.requests, [resource]: text },
    },
  }
  const at = `${path}/spec/${list}/${index}/resources/requests`
  return {
    in: container.name ?? object.metadata.name,
    by: amount - left,
    pod: {
      ...object,
      spec: {
        ...object.spec,
        [list]: (object.spec?.[list] ?? []).map((entry, i) => (i === index ? changed : entry)),
      },
    },
    patch: container.resources?.requests
      ? [{ op: 'add', path: `${at}/${escape(resource)}`, value: text }]
      : [{ op: 'add', path: at, value: { [resource]: text } }],
  }
}

/** Less of cpu or of memory: the least that makes one node take the pod which fails there by this alone. */
function lessRemedies(
  world: World,
  pod: Pod,
  seen: Look,
  codes: Uint8Array,
): readonly PlacementRemedy[] {
  const { room } = world
  return (['cpu', 'memory'] as const).flatMap((resource, r) => {
    const requested = r === 0 ? pod.shape.cpuMilli : pod.shape.memoryBytes
    let least = Infinity
    for (let node = 0; node < room.count; node++) {
      if (codes[node] !== RESOURCES) continue
      const free = (room.allocatable[r]?.[node] ?? 0) - (room.used[r]?.[node] ?? 0)
      if (free <= 0 || requested - free >= least) continue
      const short = shortOf(room, seen, node)
      if (short.length === 1 && short[0] === resource && verdict(room, seen, node, VOLUME) === FITS)
        least = requested - free
    }
    if (least === Infinity || least <= 0) return []
    const made = less(pod, resource, least)
    if (!made) return []
    const amount =
      resource === 'cpu'
        ? `${numberText(made.by)} m less CPU`
        : `${numberText(made.by / MiB, 1)} MiB less memory`
    return [
      {
        kind: 'request' as const,
        says: `${amount} in \`${made.in}\``,
        patch: made.patch,
        ...(made.pod ? { pod: made.pod } : {}),
      },
    ]
  })
}

function nodeRemedy(world: World, pod: Pod): readonly PlacementRemedy[] {
  const { room } = world
  for (const like of templates(room)) {
    if ((like.metadata.labels ?? {})['node-role.kubernetes.io/control-plane'] !== undefined)
      continue
    const node = oneMore(like, freshName(room, like.metadata.name))
    if (fitsOnNew(room, pod, node) === null) continue
    const pool = like.metadata.labels?.[poolLabel]
    const size = like.metadata.labels?.[sizeLabel]
    const says =
      pool === undefined
        ? `one more ${size === undefined ? 'node' : `\`${size}\``} like \`${like.metadata.name}\``
        : `one more ${size === undefined ? 'node' : `\`${size}\``} in \`${pool}\``
    return [{ kind: 'node', says, node, patch: [{ op: 'add', path: '/objects/-', value: node }] }]
  }
  return []
}

/** Taints that say what a node is in trouble with, or that it is of the control plane: not to be tolerated for a lack of room. */
const isNotForTolerating = (key: string): boolean =>
  key.startsWith('node.kubernetes.io/') || key.startsWith('node-role.kubernetes.io/')

function tolerationRemedies(world: World, pod: Pod, codes: Uint8Array): readonly PlacementRemedy[] {
  const { room } = world
  const tried = new Set<string>()
  const placementRemedies: PlacementRemedy[] = []
  for (let i = 0; i < room.count && tried.size < 20; i++) {
    if (codes[i] !== TAINT) continue
    const open = (room.nodes[i]?.spec?.taints ?? []).filter(
      (taint) =>
        taint.effect !== 'PreferNoSchedule' &&
        !(pod.object.spec?.tolerations ?? []).some((toleration) => tolerates(toleration, taint)),
    )
    const key = JSON.stringify(open.map((taint) => [taint.key, taint.value, taint.effect]))
    if (tried.has(key) || open.some((taint) => isNotForTolerating(taint.key))) continue
    tried.add(key)
    const added = open.map((taint) => ({
      key: taint.key,
      operator: 'Equal',
      value: taint.value ?? '',
      effect: taint.effect,
    }))
    const had = pod.object.spec?.tolerations
    const path = `${pathOf(pod)}/spec/tolerations`
    const changed: PodObject = {
      ...pod.object,
      spec: { ...pod.object.spec, tolerations: [...(had ?? []), ...added] },
    }
    const says = `tolerate ${open.map((taint) => `\`${taint.key}${taint.value ? `=${taint.value}` : ''}\``).join(' and ')}`
    placementRemedies.push({
      kind: 'toleration',
      says,
      pod: changed,
      patch: had
        ? added.map((value) => ({ op: 'add' as const, path: `${path}/-`, value }))
        : [{ op: 'add', path, value: added }],
    })
  }
  return placementRemedies.filter((remedy) => proves(world, pod, remedy))
}

function uncordonRemedy(world: World, pod: Pod, codes: Uint8Array): readonly PlacementRemedy[] {
  const { room } = world
  for (let i = 0; i < room.standing; i++) {
    const node = room.nodes[i]
    if (codes[i] !== CORDONED || !node || !fitsUncordoned(room, pod, node)) continue
    const pointer = world.nodePointers.get(node.metadata.name)
    const taints = node.spec?.taints ?? []
    const open = taints.filter((taint) => taint.key !== cordonKey)
    // A cordoned node carries the taint as well, and it goes with the cordon.
    const patch: PatchStep[] = [
      { op: 'replace', path: `/objects${pointer ?? ''}/spec/unschedulable`, value: false },
      ...(open.length < taints.length
        ? [{ op: 'replace' as const, path: `/objects${pointer ?? ''}/spec/taints`, value: open }]
        : []),
    ]
    return [{ kind: 'uncordon', says: `uncordon \`${node.metadata.name}\``, node, patch }]
  }
  return []
}

function selectorRemedy(world: World, pod: Pod, codes: Uint8Array): readonly PlacementRemedy[] {
  const wanted = pod.object.spec?.nodeSelector
  if (!wanted || !codes.includes(SELECTOR)) return []
  return Object.entries(wanted).flatMap(([key, value]) => {
    const rest = Object.fromEntries(Object.entries(wanted).filter(([other]) => other !== key))
    const changed: PodObject = { ...pod.object, spec: { ...pod.object.spec, nodeSelector: rest } }
    const remedy: PlacementRemedy = {
      kind: 'selector',
      says: `no longer select \`${key}=${value}\``,
      pod: changed,
      patch: [{ op: 'remove', path: `${pathOf(pod)}/spec/nodeSelector/${escape(key)}` }],
    }
    return proves(world, pod, remedy) ? [remedy] : []
  })
}

function spreadRemedies(world: World, pod: Pod, codes: Uint8Array): readonly PlacementRemedy[] {
  if (!codes.includes(SPREAD)) return []
  const constraints = pod.object.spec?.topologySpreadConstraints ?? []
  return constraints.flatMap((constraint, index) => {
    if (constraint.whenUnsatisfiable !== 'DoNotSchedule') return []
    const path = `${pathOf(pod)}/spec/topologySpreadConstraints/${index}/maxSkew`
    for (let skew = constraint.maxSkew + 1; skew <= constraint.maxSkew + 5; skew++) {
      const changed: PodObject = {
        ...pod.object,
        spec: {
          ...pod.object.spec,
          topologySpreadConstraints: constraints.map((eachConstraint, i) =>
            i === index ? { ...eachConstraint, maxSkew: skew } : eachConstraint,
          ),
        },
      }
      const remedy: PlacementRemedy = {
        kind: 'spread',
        says: `let the spread over \`${constraint.topologyKey}\` differ by ${skew}`,
        pod: changed,
        patch: [{ op: 'replace', path, value: skew }],
      }
      if (proves(world, pod, remedy)) return [remedy]
    }
    return []
  })
}

/** Remedies for a pod at its turn, the smallest first; each proven. */
export function findRemedies(
  world: World,
  pod: Pod,
  seen: Look,
  codes: Uint8Array,
): readonly PlacementRemedy[] {
  const { room } = world
  const lesser = lessRemedies(world, pod, seen, codes).filter((remedy) =>
    proves(world, pod, remedy),
  )
  return [
    ...lesser,
    ...nodeRemedy(world, pod),
    ...tolerationRemedies(world, pod, codes),
    ...uncordonRemedy(world, pod, codes),
    ...selectorRemedy(world, pod, codes),
    ...spreadRemedies(world, pod, codes),
  ].slice(0, room.count === 0 ? 0 : mostRemedies)
}
