/** Faults put into the stand-ins, and taken away: written down, since nobody else would know. */
import { randomUUID } from 'node:crypto'
import { Refusal } from './changes/errors'
import type { Outside } from './connectors/standin/outside'
import type { Line } from './runner/journal'

/** Where faults are put, and where that is written down. */
export interface FaultParts {
  readonly outside: Outside
  journalLine(line: Line): Promise<void>
}

export interface FaultRequest {
  fault: string
  about: string
  mode: 'transient' | 'permanent'
  times: number
  afterSeconds: number
}

/** Puts a fault into the world, now or after some seconds; tells its name. */
export async function putFault(parts: FaultParts, request: FaultRequest): Promise<string> {
  const objection = await parts.outside.faultObjection(request.fault, request.about)
  if (objection !== null)
    throw new Refusal('invalid', objection, [
      { path: objection.startsWith('There is no fault') ? 'fault' : 'about', says: objection },
    ])
  const id = `f-${randomUUID().slice(0, 8)}`
  await parts.outside.putFault(
    {
      id,
      kind: request.fault,
      about: request.about,
      mode: request.mode,
      left: request.mode === 'transient' ? request.times : null,
    },
    request.afterSeconds,
  )
  await parts.journalLine({
    kind: 'fault.put',
    params: { fault: request.fault, about: request.about, mode: request.mode },
    about: request.about,
    says: `fault ${request.fault} put into ${request.about}, ${request.mode}`,
  })
  return id
}

export async function endFault(parts: FaultParts, id: string): Promise<void> {
  const { active } = await parts.outside.faults()
  const fault = active.find((fault) => fault.id === id)
  if (!fault) throw new Refusal('not-found', `No fault ${id.slice(0, 40)} is active.`)
  await parts.outside.endFault(id)
  await parts.journalLine({
    kind: 'fault.taken',
    params: { fault: fault.kind, about: fault.about },
    about: fault.about,
    says: `fault ${fault.kind} taken away from ${fault.about}`,
  })
}
