/** Audits and converts texts off the page’s thread, and tells how far it is. */
import { auditAndConvert, type ConvertedManifests, type RemovalAudit } from '~/core/manifests'

export interface ConvertQuestion {
  readonly text: string
  readonly target: string
}

export type ConvertAnswer =
  | { readonly state: 'working'; readonly share: number }
  | {
      readonly state: 'done'
      readonly audit: RemovalAudit
      readonly converted: ConvertedManifests
    }
  | { readonly state: 'failed'; readonly says: string }

/** How often at most it is told how far it is (ms). */
const tellEvery = 60

self.onmessage = ({ data: { text, target } }: MessageEvent<ConvertQuestion>): void => {
  const tell = (answer: ConvertAnswer): void => self.postMessage(answer)
  let toldAt = performance.now()
  try {
    const answer = auditAndConvert(text, target, (share) => {
      if (performance.now() - toldAt < tellEvery) return
      toldAt = performance.now()
      tell({ state: 'working', share })
    })
    tell({ state: 'done', ...answer })
  } catch (error) {
    tell({ state: 'failed', says: error instanceof Error ? error.message : String(error) })
  }
}
