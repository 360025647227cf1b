/** The ways to clusters that exist already: opened, closed. Both run on the wall’s clock, whatever the stand-ins’ does. */
import { z } from 'zod'
import { reachKinds, reachReasons } from '../reports/reach'
import { ref } from '../refs'
import { labels } from '../shapes'
import { verb } from '../verb'

const clusterRef = ({ cluster }: { readonly cluster: string }) => ref('cluster', cluster)

export const reachOpen = verb({
  name: 'reach.open',
  port: 'reach',
  args: z.object({
    cluster: z.string(),
    kind: z.enum(reachKinds),
    /** Whose secrets are sealed; of no meaning to an outbound way. */
    accessFile: z.string().default(''),
    labels: labels.default({}),
  }),
  result: z.object({ nodes: z.number(), release: z.string() }),
  failures: reachReasons,
  at: clusterRef,
  touches: ({ cluster }) => [`cluster:${cluster}`],
  makes: (args) => [clusterRef(args)],
})

export const reachClose = verb({
  name: 'reach.close',
  port: 'reach',
  args: z.object({ cluster: z.string() }),
  result: z.object({}),
  failures: [],
  at: clusterRef,
  touches: ({ cluster }) => [`cluster:${cluster}`],
  removes: (args) => [clusterRef(args)],
})
