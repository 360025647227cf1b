/** Faults put into the stand-ins, and taken away: written down, since nobody else would know. */
import { randomUUID } from 'node:crypto'
import { Refusal } from './changes/errors'
import type { Gyrarch } from './gyrarch'

export interface FaultRequest {
  fault: string
  about: string
  mode: 'transient' | 'permanent'
  times: number
  afterSeconds: number
}

/** Puts a fault into the world, now or after some seconds; tells its name. */
export async function putFault(gyrarch: Gyrarch, request: FaultRequest): Promise<string> {
  const objection = await gyrarch.outside.faultObjection(request.fault, request.about)
  if (objection !== null)
    throw new Refusal('invalid', objection, [
      { path: objection.startsWith('There is no fault') ? 'fault' : 'about', says: objection },
    ])
  const id = `f-${randomUUID().slice(0, 8)}`
  await gyrarch.outside.putFault(
    {
      id,
      kind: request.fault,
      about: request.about,
      mode: request.mode,
      left: request.mode === 'transient' ? request.times : null,
    },
    request.afterSeconds,
  )
  await gyrarch.journalLine({
    kind: 'fault.put',
    about: request.about,
    says: `fault ${request.fault} put into ${request.about}, ${request.mode}`,
  })
  return id
}

export async function endFault(gyrarch: Gyrarch, id: string): Promise<void> {
  const { active } = await gyrarch.outside.faults()
  const fault = active.find((fault) => fault.id === id)
  if (!fault) throw new Refusal('not-found', `No fault ${id.slice(0, 40)} is active.`)
  await gyrarch.outside.endFault(id)
  await gyrarch.journalLine({
    kind: 'fault.taken',
    about: fault.about,
    says: `fault ${fault.kind} taken away from ${fault.about}`,
  })
}
