/** Kinds of change with the schemas of their intents, as JSON: they stay what they are, so each is described once. */
import { z } from 'zod'
import { type Kind, kinds } from '~/core/kinds'
import { breath } from '../breath'

export interface DescribedKind {
  readonly name: string
  readonly title: string
  readonly schema: unknown
}

const described = new Map<string, DescribedKind>()

export function describedKind({ name, title, schema }: Kind): DescribedKind {
  const before = described.get(name)
  if (before) return before
  const asJson = z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' })
  const kind = { name, title, schema: asJson }
  described.set(name, kind)
  return kind
}

/** All of them, one after the other: others have their turn between. */
export async function describedKinds(): Promise<readonly DescribedKind[]> {
  const all: DescribedKind[] = []
  for (const kind of kinds) {
    if (!described.has(kind.name)) await breath()
    all.push(describedKind(kind))
  }
  return all
}
