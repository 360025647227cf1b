/** The clock and the faults of the stand-ins. */
import { z } from 'zod'
import { Refusal } from '../changes/errors'
import type { Gyrarch } from '../gyrarch'
import { clockState } from '../live/frames'
import type { Route } from './route'
import { ok } from './answers'

export const clockBody = z.union([
  z.strictObject({ speed: z.union([z.literal(0), z.literal(1), z.literal(60), z.literal(600)]) }),
  z.strictObject({
    advanceSeconds: z
      .number()
      .min(0)
      .max(31 * 86400),
  }),
  z.strictObject({ toNextEvent: z.literal(true) }),
  z.strictObject({ stop: z.literal(true) }),
  z.strictObject({ calm: z.boolean() }),
])

export const faultBody = z.strictObject({
  fault: z.string().max(80),
  about: z.string().max(300),
  mode: z.enum(['transient', 'permanent']).default('permanent'),
  times: z.int().min(1).max(10000).default(1),
  afterSeconds: z
    .number()
    .min(0)
    .max(31 * 86400)
    .default(0),
})

/** How long sending the clock ahead may take, on the wall. */
const mostAdvanceMs = 10 * 60_000

async function advance(gyrarch: Gyrarch, seconds: number): Promise<void> {
  const target = gyrarch.outside.now + Math.round(seconds * 1000)
  await gyrarch.outside.advance(seconds, mostAdvanceMs)
  const { now } = gyrarch.outside
  if (now >= target) return
  await gyrarch.outside.keepTime()
  throw new Refusal(
    'unavailable',
    `The clock got as far as ${new Date(now).toISOString()} before it was stopped or ten minutes were over. Send it on from there.`,
  )
}

export function clockOf(gyrarch: Gyrarch) {
  const { now, speed, calm, headingFor } = clockState(gyrarch)
  return { now, speed, calm, headingFor, mark: gyrarch.hub.mark }
}

const clockShape = z.object({
  now: z.string(),
  speed: z.number(),
  calm: z.boolean(),
  /** Where it is being sent, while it is. */
  headingFor: z.string().nullable(),
  /** Grows with all that is told of states and the journal. */
  mark: z.number(),
})

export const standinRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/clock',
    says: 'The stand-ins’ clock.',
    answer: clockShape,
    handle: async (gyrarch) => ok(clockOf(gyrarch)),
  },
  {
    method: 'post',
    path: '/clock',
    says: 'Set its speed, run it ahead, go to the next event, or stop what runs it ahead. `headingFor` and the stream’s `clock` events tell how far it is.',
    body: clockBody,
    answer: clockShape,
    handle: async (gyrarch, { body }) => {
      const request = body as z.infer<typeof clockBody>
      if ('speed' in request) await gyrarch.outside.setSpeed(request.speed)
      else if ('advanceSeconds' in request) await advance(gyrarch, request.advanceSeconds)
      else if ('toNextEvent' in request) await gyrarch.outside.toNextEvent()
      else if ('stop' in request) gyrarch.outside.stopAdvancing()
      else await gyrarch.outside.setCalm(request.calm)
      await gyrarch.outside.keepTime()
      return ok(clockOf(gyrarch))
    },
  },
  {
    method: 'get',
    path: '/faults',
    says: 'Faults that can be put into the stand-ins, and those that are.',
    answer: z.object({
      possible: z.array(z.object({ fault: z.string(), says: z.string(), about: z.string() })),
      active: z.array(
        z.object({
          id: z.string(),
          fault: z.string(),
          about: z.string(),
          mode: z.enum(['transient', 'permanent']),
          left: z.number().nullable(),
          since: z.string(),
        }),
      ),
    }),
    handle: async (gyrarch) => {
      const { possible, active } = await gyrarch.outside.faults()
      return ok({
        possible,
        active: active.map((fault) => ({
          id: fault.id,
          fault: fault.kind,
          about: fault.about,
          mode: fault.mode,
          left: fault.left,
          since: new Date(fault.since).toISOString(),
        })),
      })
    },
  },
  {
    method: 'post',
    path: '/faults',
    says: 'Put a fault into the stand-ins.',
    body: faultBody,
    answer: z.object({ id: z.string() }),
    status: 201,
    handle: async (gyrarch, { body }) => ({
      status: 201,
      json: { id: await gyrarch.putFault(body as z.infer<typeof faultBody>) },
    }),
  },
  {
    method: 'delete',
    path: '/faults/:id',
    says: 'Take a fault away.',
    answer: z.object({ id: z.string() }),
    handle: async (gyrarch, { params }) => {
      await gyrarch.endFault(params['id'] ?? '')
      return ok({ id: params['id'] })
    },
  },
]
