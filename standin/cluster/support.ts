/**
 * What follows from releases by itself: a cloud moves the managed control planes it runs once support of their release
 * has ended, pools or not; and agents that lag too far behind their API are not listened to any more.
 */
import { compareReleases, minorLine } from '../../core/units'
import type { Sim } from '../engine/sim'
import { heardAgain, unheardFrom } from '../sites/power'
import type { Cluster, World } from '../world'
import { record } from './pod-events'

const dayMs = 86_400_000

type Releases = NonNullable<World['releases']>

const minorOf = (release: string): number => Number(release.split('.')[1] ?? 0)

/** When the last supported day of a release’s minor is over (ms); null where nobody lists it. */
function supportEnds(releases: Releases, release: string): number | null {
  const days = releases.flatMap(({ version, endOfSupport }) =>
    minorLine(version) === minorLine(release) ? [endOfSupport] : [],
  )
  return days.length === 0 ? null : Math.max(...days.map((day) => Date.parse(day))) + dayMs
}

/** The newest release of the next minor that is out by then and was not withdrawn. */
function nextRelease(releases: Releases, release: string, at: number): string | null {
  return (
    releases
      .filter(
        ({ version, released, withdrawn }) =>
          minorOf(version) === minorOf(release) + 1 &&
          withdrawn === null &&
          Date.parse(released) <= at,
      )
      .map(({ version }) => version)
      .sort(compareReleases)
      .at(-1) ?? null
  )
}

/** Has a managed control plane looked at when support of what it runs ends. */
export function queueSupport(sim: Sim, cluster: Cluster): void {
  const { releases } = sim.world
  const at = cluster.managed && releases ? supportEnds(releases, cluster.release) : null
  if (at !== null)
    sim.schedule(Math.max(0, at - sim.now), { kind: 'support', cluster: cluster.name })
}

export function supportDue(sim: Sim, name: string): void {
  const cluster = sim.cluster(name)
  const { releases } = sim.world
  if (!cluster?.managed || !releases) return
  // What rests is moved once it runs again.
  if (cluster.resting) return sim.schedule(dayMs, { kind: 'support', cluster: name })
  const ends = supportEnds(releases, cluster.release)
  if (ends === null) return
  if (ends > sim.now) return queueSupport(sim, cluster)
  const to = nextRelease(releases, cluster.release, sim.now)
  if (to === null) return
  const from = cluster.release
  setControlPlane(sim, cluster, to)
  record(
    sim,
    cluster,
    'Warning',
    'ControlPlaneMoved',
    `cluster/${cluster.name}`,
    `support of ${minorLine(from)} has ended: ${cluster.site} moved the control plane from ${from} to ${to}`,
  )
  queueSupport(sim, cluster)
}

/** The control plane runs another release from now on, and so do the nodes that are members of it. */
export function setControlPlane(sim: Sim, cluster: Cluster, to: string): void {
  cluster.release = to
  const members = new Set(cluster.members)
  for (const node of cluster.nodes) if (members.has(node.machine)) node.release = to
  const site = sim.site(cluster.site)
  if (site && cluster.managed)
    site.controlPlanes = site.controlPlanes.map((plane) =>
      plane.cluster === cluster.name ? { ...plane, release: to } : plane,
    )
  watchSkew(sim, cluster)
  sim.touchCluster(cluster.name)
  sim.touchSite(cluster.site)
}

/** Kubernetes, Version Skew Policy, “kubelet”: at most three minors older, two beside an API older than 1.28. */
const lagsTooFar = (agent: string, api: string): boolean =>
  minorOf(api) - minorOf(agent) > (minorOf(api) < 28 ? 2 : 3)

/** Looks which agents their API still listens to: the others fall silent; those that were moved speak up again. */
export function watchSkew(sim: Sim, cluster: Cluster): void {
  const site = sim.site(cluster.site)
  if (!site) return
  for (const node of cluster.nodes) {
    const machine = site.machines.find(({ name }) => name === node.machine)
    if (!machine) continue
    const isTooFar = lagsTooFar(node.release, cluster.release)
    if (isTooFar && machine.tooOld !== true) {
      machine.tooOld = true
      record(
        sim,
        cluster,
        'Warning',
        'VersionSkew',
        `node/${node.name}`,
        `kubelet ${node.release} is too old for API server ${cluster.release}: its status updates are not taken`,
      )
      unheardFrom(sim, site, machine)
    } else if (!isTooFar && machine.tooOld === true) {
      delete machine.tooOld
      heardAgain(sim, machine)
    }
  }
}
