/** Arguments of commands as the outside reads them: what is not of the expected type reads as empty. */
import type { Operation, OperationFailure } from './world'

export const textArg = (op: Operation, name: string): string => {
  const value = op.args[name]
  return typeof value === 'string' ? value : ''
}

export const optionalText = (op: Operation, name: string): string | null => {
  const value = op.args[name]
  return typeof value === 'string' && value !== '' ? value : null
}

export const numberArg = (op: Operation, name: string): number => {
  const value = op.args[name]
  return typeof value === 'number' && Number.isFinite(value) ? value : 0
}

export const textsArg = (op: Operation, name: string): readonly string[] => {
  const value = op.args[name]
  return Array.isArray(value)
    ? value.filter((item): item is string => typeof item === 'string')
    : []
}

export const recordsArg = (
  op: Operation,
  name: string,
): readonly Readonly<Record<string, unknown>>[] => {
  const value = op.args[name]
  return Array.isArray(value)
    ? value.filter(
        (item): item is Record<string, unknown> => typeof item === 'object' && item !== null,
      )
    : []
}

export const textMap = (value: unknown): Readonly<Record<string, string>> =>
  typeof value === 'object' && value !== null
    ? Object.fromEntries(
        Object.entries(value).filter(
          (entry): entry is [string, string] => typeof entry[1] === 'string',
        ),
      )
    : {}

/** A failure that waiting does not mend; `chain` from the lowest object up. */
export const permanent = (
  reason: string,
  says: string,
  ...chain: readonly { about: string; says: string }[]
): OperationFailure => ({ class: 'permanent', reason, says, chain })

/** A failure that may pass by itself. */
export const transient = (
  reason: string,
  says: string,
  ...chain: readonly { about: string; says: string }[]
): OperationFailure => ({ class: 'transient', reason, says, chain })
