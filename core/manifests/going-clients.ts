/** Clients that still ask an API for versions of objects which a release no longer serves. */
import type { ClusterReport } from '../contract'
import { isServedUntil, removalOf } from './removed'

export interface GoingClient {
  /** As it names itself. */
  readonly agent: string
  /** The workload that asks, as `cluster/namespace/name`. */
  readonly from: string
  readonly apiVersion: string
  readonly kind: string
  readonly removedIn: string
  readonly successor: string | null
  readonly perDay: number
}

/** Of the clients of an API those whose version is gone at a minor release, the busiest first. */
export const goingClients = (
  clients: ClusterReport['apiClients'],
  minor: string,
): readonly GoingClient[] =>
  clients
    .flatMap((client) => {
      const removal = removalOf(client.apiVersion, client.kind)
      return removal && !isServedUntil(removal, minor)
        ? [{ ...client, removedIn: removal.removedIn, successor: removal.successor }]
        : []
    })
    .sort((a, b) => b.perDay - a.perDay)
