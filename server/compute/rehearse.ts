/** The computation that runs a change through a model of a cluster that was exported. */
import { z } from 'zod'
import { saidShape } from '~/core/contract'
import { changesThroughApi } from '~/core/reach'
import { rehearsal } from '~/core/rehearsal'
import { finding, plan } from '../api/change-shape'
import { inThisThread } from '../connectors/standin/engine-link'
import { modelsIn } from '../connectors/standin/rehearsal-model'
import { rehearsePasted } from '../rehearsal/pasted'
import { computation, instant, objects } from './computation'

export const rehearseComputations = [
  computation({
    name: 'rehearse',
    says: 'A change run through a model of a cluster, made of the objects that its API lists and of nothing else: what stands against it, its plan, how it goes step by step, and what is not as planned.',
    mostMiB: 64,
    input: z.strictObject({
      /** Objects, or their text in YAML or JSON. */
      objects: z.union([objects, z.string()]),
      kind: z.enum(changesThroughApi),
      /** As for a draft of that kind, without `cluster`. */
      intent: z.record(z.string(), z.unknown()),
      now: instant,
    }),
    output: z.object({
      findings: z.array(finding),
      plan: plan.nullable(),
      rehearsal: rehearsal.nullable(),
      against: z.array(saidShape),
    }),
    compute: (asked) => rehearsePasted(modelsIn(inThisThread), asked, new AbortController().signal),
  }),
]
