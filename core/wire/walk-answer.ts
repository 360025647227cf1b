/** A walk as it is told: headers as text, every hop with its sentence. */

import { formatAddress } from '../addresses'
import type { Said } from '../contract'
import { type HopName, type Decider, type Walk, type Header, written, ofDefault } from './hops'

export interface HopAnswer extends Said {
  readonly hop: HopName
  readonly before: { readonly source: string; readonly destination: string; readonly port: number }
  readonly after: {
    readonly source: string
    readonly destination: string
    readonly port: number
  } | null
  readonly by: Decider
}

export interface WalkAnswer {
  readonly verdict: 'delivered' | 'dropped'
  readonly hops: readonly HopAnswer[]
  readonly decided: { readonly hop: HopName | null; readonly by: Decider }
  readonly mtu: Walk['mtu']
}

export const headerText = ({ source, destination, port }: Header) => ({
  source: formatAddress(source),
  destination: written(destination),
  port,
})

/** A walk as it is told: headers as text, every hop with its sentence. */
export function walkAnswer(walked: Walk): WalkAnswer {
  const last = walked.hops.at(-1)
  return {
    verdict: walked.delivered ? 'delivered' : 'dropped',
    hops: walked.hops.map(({ hop, before, after, by, tell }) => ({
      hop,
      before: headerText(before),
      after: after === null ? null : headerText(after),
      by,
      ...tell(),
    })),
    decided: { hop: last?.hop ?? null, by: last?.by ?? ofDefault },
    mtu: walked.mtu,
  }
}
