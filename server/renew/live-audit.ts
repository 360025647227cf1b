/** Objects that live in a cluster, judged by what their owners last wrote: which of them a release no longer serves. */
import {
  convertManifests,
  goingOf,
  type LeftObject,
  tidied,
  type WrittenObject,
} from '~/core/manifests'
import { minorLine } from '~/core/units'
import { stringify } from 'yaml'
import { rightsIn, whoseIs, whoseText } from '~/core/fleet'
import type { ApiObject } from '~/core/objects'

export interface LiveGoing {
  readonly cluster: string
  /** Kind, namespace and name. */
  readonly object: string
  readonly apiVersion: string
  readonly removedIn: string
  readonly gone: boolean
  readonly successor: string | null
  /** Whom to ask: who may change it in its namespace, else who wrote it last; null where nobody is known. */
  readonly owner: string | null
}

export function liveAudit(
  cluster: string,
  objects: readonly ApiObject[],
  target: string,
): readonly LiveGoing[] {
  const rights = rightsIn(objects)
  return objects.flatMap((object) => {
    const entry = goingOf(object, target)
    if (!entry) return []
    const { namespace, name } = entry
    const whose = whoseIs(rights, object)
    return [
      {
        cluster,
        object: `${entry.kind} ${namespace === null ? '' : `${namespace}/`}${name ?? ''}`,
        apiVersion: entry.apiVersion,
        removedIn: entry.removedIn,
        gone: entry.gone,
        successor: entry.successor,
        owner: whose.people.length > 0 || whose.writer !== null ? whoseText(whose) : null,
      },
    ]
  })
}

/** What goes among the objects of a cluster, written as the release that it runs serves it already, and what a person decides. */
export function liveConversion(
  objects: readonly ApiObject[],
  release: string,
  target: string,
): { readonly text: string; readonly count: number; readonly left: readonly LeftObject[] } {
  const going = objects.filter((object) => goingOf(object, target)?.gone === true)
  const written = going.map((object) => stringify(tidied(object as WrittenObject))).join('---\n')
  const { manifests, converted, left } = convertManifests(written, minorLine(release))
  return { text: manifests, count: converted.length, left }
}
