/** What waits in the queue of the simulation, and how it is stored. */
import { readCommand } from '../../core/contract'
import { behaviourOf } from '../behaviours'
import type { Operation, SimEvent, World } from '../world'
import type { AnyBehaviour } from './sim'

/** The next stage of a command, with the command itself: it is looked up once, not at every stage. */
interface StageDue {
  readonly at: number
  readonly seq: number
  readonly kind: 'stage'
  readonly op: Operation
  readonly behaviour: AnyBehaviour
}

export type Due = Exclude<SimEvent, { readonly kind: 'stage' }> | StageDue

/** Whether somebody waits for it: not that a cluster tells again how full its volumes are, or that support ends. */
export const isWaitedFor = ({ kind }: Due): boolean => kind !== 'tell' && kind !== 'support'

/** An event as it is stored. */
export const stored = (due: Due): SimEvent =>
  due.kind === 'stage' ? { at: due.at, seq: due.seq, kind: 'stage', key: due.op.key } : due

/** A stored event as it waits; none where its command is no longer known. */
export function dueOf(
  event: SimEvent,
  operations: ReadonlyMap<string, Operation>,
): Due | undefined {
  if (event.kind !== 'stage') return event
  const op = operations.get(event.key)
  const behaviour = op && behaviourOf(op.verb)
  return behaviour && { at: event.at, seq: event.seq, kind: 'stage', op, behaviour }
}

/** A stored command under way, its arguments read by the contract of today. */
function readAgain(op: Operation): Operation {
  if (op.endedAt !== null) return op
  const read = readCommand(op.verb, op.args)
  return read.ok ? { ...op, args: read.args } : op
}

/** The commands of a stored world by key. */
export const operationsOf = ({ operations }: World): Map<string, Operation> =>
  new Map(Object.entries(operations).map(([key, op]) => [key, readAgain(op)]))
