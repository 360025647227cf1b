/** The computation that goes from a symptom to its causes. */
import { z } from 'zod'
import { causeCodes, diagnose } from '~/core/diagnosis'
import { prepareWorld, walkWorldSchema } from '~/core/wire'
import { computation, instant, objects, value, wrong } from './computation'

const reference = z
  .string()
  .max(600)
  .regex(
    /^(?:cluster|[a-z]+\/[^/]+|[a-z]+\/[^/]+\/[^/]+)$/,
    'Write it as kind/namespace/name in lower case, kind/name where it has no namespace, or cluster.',
  )

const link = z.object({ about: z.string(), says: z.string() })

export const diagnosisComputations = [
  computation({
    name: 'diagnose',
    says: 'From a symptom to its causes: what the objects, events and logs of a cluster speak for, ranked by how much each explains, with the chain from cause to symptom, what is ruled out, and what to look at next.',
    input: z.strictObject({
      objects,
      logs: z
        .array(
          z.strictObject({
            from: z.string().max(600),
            lines: z.array(z.string().max(100_000)).max(1_000_000),
          }),
        )
        .max(100_000)
        .optional(),
      /** A world for the packet walk. */
      world: walkWorldSchema.optional(),
      about: reference,
      now: instant,
    }),
    output: z.object({
      symptom: z.string(),
      causes: z.array(
        z.object({
          cause: z.enum(causeCodes),
          about: z.string(),
          share: z.number(),
          says: z.string(),
          chain: z.array(link),
          because: z.array(
            z.object({
              type: z.enum(['condition', 'status', 'event', 'log', 'object', 'walk']),
              about: z.string(),
              at: z.string().nullable(),
              text: z.string(),
            }),
          ),
          remedies: z.array(
            z.object({
              says: z.string(),
              patch: z
                .array(
                  z.object({ op: z.string(), path: z.string(), value: z.unknown().optional() }),
                )
                .optional(),
              command: z.string().optional(),
            }),
          ),
        }),
      ),
      ruledOut: z.array(z.object({ cause: z.enum(causeCodes), says: z.string() })),
      next: z.object({ probe: z.string(), says: z.string(), about: z.string() }).nullable(),
    }),
    mostMiB: 256,
    compute: ({ objects: given, logs, world, about, now }) => {
      const ways = world ? prepareWorld(world) : null
      if (ways && !ways.ok) return wrong(ways.path, ways.says)
      const diagnosis = diagnose({
        objects: given,
        about,
        now,
        world: ways?.world ?? null,
        ...(logs ? { logs } : {}),
      })
      return diagnosis
        ? value(diagnosis)
        : wrong('about', `${about} is not among the objects: name one of them, or cluster.`)
    },
  }),
]
