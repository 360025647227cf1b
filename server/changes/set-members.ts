/** What a set asks of its members: whether one is still what was read, and why one failed. */
import type { Step } from '~/core/changes'
import type { Said } from '~/core/contract'
import { type Draft, kindNamed } from '~/core/kinds'
import type { ChangeRow } from '../records/models'
import { changeId } from '../runner/journal'
import { said } from './says'

/** What stands in `accepted` for a member whose plan is taken as it is when its turn comes. */
export const asIs = (position: number): string => `draft.${position}|as it is then`

export function draftOf(kind: string, intent: unknown): Draft | null {
  const read = kindNamed(kind)?.read(intent)
  return read?.ok === true ? read.draft : null
}

export const whyFailed = (child: ChangeRow): Said =>
  said('set.member-failed', {
    change: changeId(child.number),
    label: child.label,
    why: child.returned?.says ?? child.cause?.says ?? child.state,
  })

/** What a step does, whatever names and addresses it was given meanwhile. */
const doing = (step: Step, position: number): string =>
  `${step.id.startsWith(`${position}/`) ? step.id.slice(`${position}/`.length) : step.id} ${step.command.verb}`

/** Plans are alike if they do the same to the same: figures that earlier members have moved may differ. */
export function isAlike(read: readonly Step[], now: readonly Step[], position: number): boolean {
  const texts = (steps: readonly Step[]): string =>
    steps
      .map((step) => doing(step, position))
      .sort()
      .join('\n')
  return texts(read) === texts(now)
}

export function differs(read: readonly Step[], now: readonly Step[], position: number): Said {
  const before = new Set(read.map((step) => doing(step, position)))
  const after = new Set(now.map((step) => doing(step, position)))
  const textOf = (step: Step): string => `${step.group}: ${step.says}`
  return said('returned.differs', {
    come: now.filter((step) => !before.has(doing(step, position))).map(textOf),
    gone: read.filter((step) => !after.has(doing(step, position))).map(textOf),
    otherwise: [],
  })
}
