/**
 * A verb is one thing that can be asked of the outside. Its definition is all that plans, runner and connectors share:
 * plans write its arguments, a connector reads them by the schema, the runner records what it made. Adding a verb is
 * adding a definition here and a behaviour in a connector; nothing between them knows it by name.
 */
import type { z } from 'zod'
import type { Ref, SliceName } from './refs'
import type { Said } from './said'
import type { Told } from './told'

/** `ledger` is Gyrarch’s own register, `desk` where drives are written and read, `reach` the ways to clusters that exist already; `site` and `cluster` are outside. */
export type PortName = 'site' | 'cluster' | 'ledger' | 'desk' | 'reach'

export interface VerbDefinition<
  Name extends string = string,
  Args extends z.ZodObject = z.ZodObject,
  Result extends z.ZodObject = z.ZodObject,
  Port extends PortName = PortName,
> {
  readonly name: Name
  readonly port: Port
  /** What it is asked with. Arguments that a connector does not know are left out, not refused. */
  readonly args: Args
  /** What it answers once it has been carried out. */
  readonly result: Result
  /** Codes it can fail with, beside those that every verb of its port can. */
  readonly failures: readonly string[]
  /** The site or cluster it is asked of: it decides which connector carries it. */
  readonly at: (args: Told<z.infer<Args>>) => Ref
  /** Slices that may differ once it has ended. */
  readonly touches: (args: Told<z.infer<Args>>) => readonly SliceName[]
  /** What exists because of it, for the attribution of what stands to the change that made it. */
  readonly makes?: (args: Told<z.infer<Args>>) => readonly Ref[]
  /** What no longer exists because of it. */
  readonly removes?: (args: Told<z.infer<Args>>) => readonly Ref[]
  /** It ends only when somebody outside calls, under this name; a connector then leaves it open. */
  readonly awaits?: (args: Told<z.infer<Args>>) => string
}

/** Keeps the exact types of a definition. */
export const verb = <
  const Name extends string,
  Args extends z.ZodObject,
  Result extends z.ZodObject,
  const Port extends PortName,
>(
  definition: VerbDefinition<Name, Args, Result, Port>,
): VerbDefinition<Name, Args, Result, Port> => definition

/** A failed command, from the lowest object up: `chain[0]` is the lowest. */
export interface Failure extends Said {
  readonly class: 'transient' | 'permanent'
  /** Machine-readable: `image-missing`, `no-stock`, `unavailable` … */
  readonly reason: string
  /** The field of the intent that would have to differ, where there is one. */
  readonly field?: string
  readonly chain: readonly (Said & { readonly about: Ref })[]
}

/** Codes that every verb of a port can fail with. */
export const portFailures: Readonly<Record<PortName, readonly string[]>> = {
  site: ['no-site', 'unknown-verb', 'bad-arguments'],
  cluster: [
    'no-cluster',
    'certificate-expired',
    'cluster-rests',
    'api-down',
    'not-here',
    'api-refuses',
    'unknown-verb',
    'bad-arguments',
  ],
  ledger: ['unknown-verb', 'bad-arguments'],
  desk: ['unknown-verb', 'bad-arguments'],
  reach: ['unknown-verb', 'bad-arguments'],
}
