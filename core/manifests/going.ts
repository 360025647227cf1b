/** What a release no longer serves, of objects as an API lists them. */
import type { ApiObject } from '../objects'
import type { GoingObject } from './audit'
import { isServedUntil, removalOf } from './removed'

export type GoingLive = Omit<GoingObject, 'document' | 'line'>

/** The version of an object that goes, and whether a minor release still serves it; null where it does not go. */
export function goingOf(object: ApiObject, minor: string): GoingLive | null {
  const { apiVersion = '', kind, metadata } = object
  const removal = removalOf(apiVersion, kind)
  return removal
    ? {
        apiVersion,
        kind,
        namespace: metadata?.namespace ?? null,
        name: metadata?.name ?? null,
        removedIn: removal.removedIn,
        gone: !isServedUntil(removal, minor),
        successor: removal.successor,
      }
    : null
}
