/** What a plan asks of the outside, and what a connector reads of it. */
import { type Ref, ref } from './refs'
import { type ArgsIn, verbNamed, type VerbName } from './verbs'
import type { PortName, VerbDefinition } from './verb'

/** Stands for a value out of an earlier step’s result: filled in when that step is done. */
export interface FromStep {
  readonly $from: string
  readonly path: string
}

/** An argument, or a part of it, may come out of an earlier step’s result. */
export type Deferred<T> =
  | FromStep
  | (unknown extends T
      ? T
      : T extends string | number | boolean | null | undefined
        ? T
        : T extends readonly (infer Item)[]
          ? readonly Deferred<Item>[]
          : { readonly [Key in keyof T]: Deferred<T[Key]> })

export interface Command {
  readonly port: PortName
  readonly verb: string
  readonly args: Readonly<Record<string, unknown>>
}

/** A command of the contract: the port is the verb’s, the arguments are checked by the compiler. */
export function command<Name extends VerbName>(
  name: Name,
  args: { readonly [Key in keyof ArgsIn<Name>]: Deferred<ArgsIn<Name>[Key]> },
): Command {
  const definition = verbNamed(name)
  if (!definition) throw new Error(`the contract has no verb ${name}`)
  return { port: definition.port, verb: name, args: { ...args } }
}

export type CommandRead =
  | {
      readonly ok: true
      readonly definition: VerbDefinition
      readonly args: Readonly<Record<string, unknown>>
    }
  | { readonly ok: false; readonly reason: 'unknown-verb' | 'bad-arguments'; readonly says: string }

/** Reads a command by the schema of its verb. What is wrong names the argument. */
export function readCommand(name: string, args: Readonly<Record<string, unknown>>): CommandRead {
  const definition = verbNamed(name)
  if (!definition)
    return { ok: false, reason: 'unknown-verb', says: `There is no command ${name}.` }
  const read = definition.args.safeParse(args)
  if (read.success) return { ok: true, definition, args: read.data }
  const [issue] = read.error.issues
  const where = issue?.path.map(String).join('.') ?? ''
  return {
    ok: false,
    reason: 'bad-arguments',
    says: `${name} was asked with a wrong ${where === '' ? 'argument' : where}: ${issue?.message ?? 'unreadable'}`,
  }
}

/** What a command makes and removes, by the definition of its verb; nothing where it cannot be read. */
export function effectOf({ verb, args }: Pick<Command, 'verb' | 'args'>): {
  readonly makes: readonly Ref[]
  readonly removes: readonly Ref[]
} {
  const read = readCommand(verb, args)
  if (!read.ok) return { makes: [], removes: [] }
  return {
    makes: read.definition.makes?.(read.args) ?? [],
    removes: read.definition.removes?.(read.args) ?? [],
  }
}

/**
 * The site, cluster or register that a command is asked of. It is known before the values out of earlier steps are:
 * a place is never one of these, so the arguments are not read by their schema here.
 */
export const targetOf = ({ verb, args }: Pick<Command, 'verb' | 'args'>): Ref =>
  verbNamed(verb)?.at(args) ?? ref('unknown')
