/** A change rehearsed on a cluster of which nothing is at hand but what its API lists: exported, and pasted. */
import type { Finding, Plan } from '~/core/changes'
import type { Said } from '~/core/contract'
import { bareFleet, type FleetView } from '~/core/fleet'
import { kindNamed } from '~/core/kinds'
import { apiDocuments, type ApiObject, type Json, readObjects, resourcesOf } from '~/core/objects'
import { againstPlan, type Rehearsal } from '~/core/rehearsal'
import { compareReleases } from '~/core/units'
import { reportOf } from '../connectors/open-api/report'
import { clusterView } from '../fleet/observe'
import { inModel, type OpenModel } from './in-model'

export interface PastedAsked {
  /** What its API lists: as objects, or as the text of them in YAML or JSON. */
  readonly objects: readonly unknown[] | string
  readonly kind: string
  /** Without its cluster. */
  readonly intent: Readonly<Record<string, unknown>>
  /** ISO time at which it is rehearsed. */
  readonly now: string
}

export interface PastedRehearsal {
  readonly findings: readonly Finding[]
  /** Null where something stops it. */
  readonly plan: Plan | null
  readonly rehearsal: Rehearsal | null
  /** What in it is not as the plan has it. */
  readonly against: readonly Said[]
}

export type PastedAnswer =
  | { readonly ok: true; readonly value: PastedRehearsal }
  | { readonly ok: false; readonly path: string; readonly says: string }

/** What a cluster is called that was pasted: nothing in it says so. */
const pasted = 'pasted'

/** As it was registered that nobody registered. */
const registered = {
  name: pasted,
  site: '',
  guarded: false,
  labels: {},
  release: '',
  controlPlane: { kind: 'own', count: 0 },
  pools: [],
  endpoint: null,
  rest: null,
  autoscale: null,
  pods: '',
  services: '',
  maxPodsPerNode: 110,
  drives: [],
} satisfies Parameters<typeof clusterView>[0]

/** A fleet of that cluster alone. */
function viewOf(objects: readonly ApiObject[], now: string): FleetView {
  const byResource = new Map<string, Json[]>()
  for (const object of objects) {
    const resource = resourcesOf(object.kind)
    const listed = byResource.get(resource)
    if (listed) listed.push(object)
    else byResource.set(resource, [object])
  }
  const told = {
    name: pasted,
    release: '',
    address: '',
    of: (name: string) => byResource.get(name) ?? [],
  }
  const report = reportOf(told, {
    kind: 'inbound',
    heard: true,
    reason: null,
    lastHeardWall: now,
    says: '',
    address: 'what was pasted',
    watched: [],
    withheld: [],
  })
  // Its control plane is no older than its newest agent.
  const [release = ''] = report.nodes
    .map((node) => node.release)
    .sort((a, b) => compareReleases(b, a))
  const cluster = clusterView(registered, { ...report, release }, Date.parse(now))
  return {
    ...bareFleet(now),
    clusters: [cluster],
    traffic: { [pasted]: { state: 'known', version: 1, at: now, value: [] } },
    objects: { [pasted]: { state: 'known', version: 1, at: now, value: objects } },
  }
}

/** Objects of a text, its documents in order; why it is none. */
function objectsIn(text: string): readonly unknown[] | { readonly says: string } {
  try {
    return apiDocuments(text).flatMap((document): readonly unknown[] => {
      const [error] = document.errors
      if (error) throw error
      const value: unknown = document.toJS({ maxAliasCount: 100 })
      return value === null ? [] : [value]
    })
  } catch (error) {
    return { says: error instanceof Error ? (error.message.split('\n')[0] ?? '') : String(error) }
  }
}

/** Rehearses a change on what was pasted, in a model that `open` makes. */
export async function rehearsePasted(
  open: OpenModel,
  { objects, kind, intent, now }: PastedAsked,
  signal: AbortSignal,
): Promise<PastedAnswer> {
  const given = typeof objects === 'string' ? objectsIn(objects) : objects
  if ('says' in given) return { ok: false, path: 'objects', says: given.says }
  const { located, wrong } = readObjects(given)
  if (wrong) return { ok: false, path: wrong.path, says: wrong.says }
  const listed = located.map(({ object }) => object)
  if (!listed.some((object) => object.kind === 'Node'))
    return {
      ok: false,
      path: 'objects',
      says: 'There is no node among them. Export the nodes too.',
    }
  const read = kindNamed(kind)?.read({ ...intent, cluster: pasted })
  if (!read) return { ok: false, path: 'kind', says: `There is no change ${kind.slice(0, 80)}.` }
  if (!read.ok) {
    const [issue] = read.issues
    return {
      ok: false,
      path: ['intent', ...(issue?.path ?? [])].join('.'),
      says: issue?.message ?? 'This does not fit.',
    }
  }
  const view = viewOf(listed, now)
  const findings = read.draft.findings(view)
  if (findings.some(({ level }) => level === 'stop'))
    return { ok: true, value: { findings, plan: null, rehearsal: null, against: [] } }
  const plan = read.draft.plan(view)
  const rehearsal = await inModel(open, { plan, view, seed: 1 }, () => undefined, signal)
  return { ok: true, value: { findings, plan, rehearsal, against: againstPlan(rehearsal, plan) } }
}
