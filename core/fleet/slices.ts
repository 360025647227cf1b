/**
 * Parts of a picture that only those hold who asked for them: what the API of a cluster lists, and its traffic.
 * Reading what was not asked for is an error of the reader; an API that is silent is not.
 */
import { heard, notAsked, type Slice, type TrafficReport } from '../contract'
import type { ApiObject } from '../objects'
import type { FleetView } from './view'

function ownSlice<T>(
  slices: Readonly<Record<string, Slice<T>>> | undefined,
  name: string,
): Slice<T> {
  return slices && Object.hasOwn(slices, name) ? (slices[name] ?? notAsked) : notAsked
}

const objectSlice = (view: FleetView, cluster: string): Slice<readonly ApiObject[]> =>
  ownSlice(view.objects, cluster)

const trafficSlice = (view: FleetView, cluster: string): Slice<readonly TrafficReport[]> =>
  ownSlice(view.traffic, cluster)

/** What a cluster lists, or undefined while its API is silent. Throws where it was not asked for. */
export const objectsHeard = (view: FleetView, cluster: string): readonly ApiObject[] | undefined =>
  heard(objectSlice(view, cluster), `objects:${cluster}`)

const starting = 'it is yet to start'

/** Whether a picture is of a cluster as it will be once it has been started: nobody has seen yet what it lists. */
export const yetToStart = (view: FleetView, cluster: string): boolean => {
  const slice = objectSlice(view, cluster)
  return slice.state === 'unheard' && slice.why === starting
}

/** The picture with a cluster that is about to start. */
export const withStarting = (view: FleetView, cluster: string): FleetView => ({
  ...view,
  objects: {
    ...view.objects,
    [cluster]: { state: 'unheard', since: view.now, why: starting },
  },
})

/** What a cluster lists, nothing while its API is silent. Throws where it was not asked for. */
export const listedObjects = (view: FleetView, cluster: string): readonly ApiObject[] =>
  objectsHeard(view, cluster) ?? []

/** What a cluster lists if that happens to be known: for readers who make do without. */
export function knownObjects(view: FleetView, cluster: string): readonly ApiObject[] | undefined {
  const slice = objectSlice(view, cluster)
  return slice.state === 'known' ? slice.value : undefined
}

/** Who calls whom in a cluster. Throws where it was not asked for. */
export const trafficIn = (view: FleetView, cluster: string): readonly TrafficReport[] =>
  heard(trafficSlice(view, cluster), `walks:cluster/${cluster}`) ?? []

/** Traffic of every cluster that was asked for it. */
export const knownTraffic = (view: FleetView): readonly TrafficReport[] =>
  Object.values(view.traffic ?? {}).flatMap((slice) => (slice.state === 'known' ? slice.value : []))

/** A picture in which a cluster lists something else: the fleet as it would be. */
export const withObjectList = (
  view: FleetView,
  cluster: string,
  value: readonly ApiObject[],
): FleetView => ({
  ...view,
  objects: {
    ...view.objects,
    [cluster]: { state: 'known', version: view.version, at: view.now, value },
  },
})
