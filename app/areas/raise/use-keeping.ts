/** What is typed in a draft is kept as it is typed, and told when it could not be. */
import { useEffect, useRef } from 'react'
import { useFetcher } from 'react-router'
import { canonicalJson } from '../../../core/changes'
import type { SiteView } from '../../../core/fleet'
import { raiseIntent, type RaiseIntent } from '../../../core/provisioning'

export interface Kept {
  readonly refused?: string | null
  readonly fields?: readonly { readonly path: string; readonly says: string }[]
  readonly version?: number
  /** The change that was drafted as a remedy, to go to. */
  readonly drafted?: string
}

/** The text of an intent with its defaults filled in, so that what was kept and what is typed can be compared. */
export function normalText(intent: unknown): string {
  const read = raiseIntent.safeParse(intent)
  return canonicalJson(read.success ? read.data : intent)
}

/** What a draft usually is at another kind of site: the rest of it is kept. */
export function usualAt(site: SiteView, intent: RaiseIntent): Partial<RaiseIntent> {
  if (site.kind === 'edge')
    return { controlPlane: { kind: 'own', count: 1, alsoWorkers: true }, pools: [] }
  const size =
    [...site.sizes].filter((size) => size.cores >= 2).sort((a, b) => a.cores - b.cores)[0]?.name ??
    ''
  const pools =
    intent.pools.length > 0
      ? intent.pools.map((pool) => ({ ...pool, size, zones: undefined, rootDiskGb: undefined }))
      : [
          {
            name: 'general',
            size,
            count: 2,
            lifetime: 'on-demand' as const,
            labels: {},
            taints: [],
          },
        ]
  return {
    machines: [],
    pools,
    controlPlane:
      site.kind === 'hall'
        ? { kind: 'own', count: 3, alsoWorkers: false }
        : { kind: 'managed', tier: 'plain' },
  }
}

/** Keeps what is typed shortly after it is typed; nothing is lost when keeping is refused. */
export function useKeeping(
  id: string,
  intent: RaiseIntent,
  title: string | null,
  saved: { readonly intent: RaiseIntent; readonly title: string | null; readonly version: number },
) {
  const fetcher = useFetcher<Kept>()
  const dirty = normalText(intent) !== normalText(saved.intent) || title !== saved.title
  const { submit, state } = fetcher
  const sent = useRef('')
  useEffect(() => {
    if (!dirty || state !== 'idle') return
    const body = JSON.stringify({ do: 'keep', intent, title })
    if (body === sent.current) return
    const timer = setTimeout(() => {
      sent.current = body
      void submit(body, { method: 'post', action: `/raise/${id}`, encType: 'application/json' })
    }, 500)
    return () => clearTimeout(timer)
  }, [dirty, state, intent, title, id, submit])
  return { dirty, keeping: state !== 'idle', refused: fetcher.data?.refused ?? null }
}
