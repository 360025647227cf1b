/**
 * The change kind `set.run`: several drafts as one, in order, with one confirmation. Each is a change like any other,
 * judged by the fleet that those before it leave; the plan of the set is made of theirs. The set itself locks nothing.
 */
import { z } from 'zod'
import {
  type ChangeKind,
  type Finding,
  keyOf,
  longestPath,
  type Plan,
  type RawFinding,
  type Ref,
  type SliceKey,
  type Step,
  stop,
} from '../changes'
import type { FleetView } from '../fleet'
import { countText } from '../units'
import { windowNamed, windowsOf } from '../windows'
import { said } from './says'

export const setName = 'set.run'
const mostMembers = 100

export const setIntent = z.strictObject({
  label: z.string().trim().max(120).default(''),
  drafts: z
    .array(
      z.strictObject({
        kind: z.string().max(80),
        intent: z.record(z.string(), z.unknown()),
        /** It begins only while this window is open; it waits for it. */
        window: z.string().max(80).nullable().default(null),
        /** All of a wave end before the next begins; null is of no wave. */
        wave: z.number().int().min(1).max(100).nullable().default(null),
      }),
    )
    .min(1, 'Put at least one draft into it.')
    .max(mostMembers),
  /** At most so many at once. */
  atOnce: z.number().int().min(1).max(20).default(1),
  /** So long nothing new begins after one has ended. */
  soakSeconds: z.number().int().min(0).max(604_800).default(0),
  /** What must hold before the next begins: that nothing touched is broken, or that every kept walk holds. */
  requires: z.enum(['nothing', 'well', 'walks']).default('nothing'),
  /** Whether one that fails keeps those from beginning that have not begun. */
  onFailure: z.enum(['halt', 'go-on']).default('halt'),
})
export type SetIntent = z.infer<typeof setIntent>

/** A draft as a set sees it. */
export interface Member {
  readonly label: string
  readonly needs: readonly SliceKey[]
  readonly findings: (view: FleetView) => readonly Finding[]
  readonly plan: (view: FleetView) => Plan
  readonly subjects: (view: FleetView) => readonly Ref[]
  readonly guardedBy: (view: FleetView) => string | null
  readonly after: (view: FleetView) => FleetView | null
}

export type MemberRead =
  | { readonly ok: true; readonly draft: Member }
  | {
      readonly ok: false
      readonly issues: readonly {
        readonly path: readonly PropertyKey[]
        readonly message: string
      }[]
    }

/** Reads a draft of a kind; null for a kind that there is not. */
export type ReadMember = (kind: string, intent: unknown) => MemberRead | null

/** The rule of a member’s finding, as the set tells it. */
export const memberRule = (index: number, rule: string): string => `draft.${index}.${rule}`

/** What a set’s finding goes by, of a member’s. */
export const memberFinding = (
  index: number,
  finding: Finding,
): Pick<Finding, 'rule' | 'field' | 'about'> => {
  const field = fieldIn(index, finding)
  return {
    rule: memberRule(index, finding.rule),
    ...(field === undefined ? {} : { field }),
    ...(finding.about === undefined ? {} : { about: finding.about }),
  }
}

/** The key under which a set tells of a member’s finding. */
export const memberKey = (index: number, finding: Finding): string =>
  keyOf(memberFinding(index, finding))

function fieldIn(index: number, { field, about }: Finding): string | undefined {
  if (field !== undefined) return `drafts[${index}].intent.${field}`
  return about === undefined ? `drafts[${index}]` : undefined
}

/** The steps of one member within the plan of its set. */
export const memberSteps = (plan: Plan, index: number): readonly Step[] =>
  plan.steps.filter((step) => step.id.startsWith(`${index}/`))

/** The longest that one member takes within the plan of its set (s). */
export function memberWorst(plan: Plan, index: number): number {
  const steps = memberSteps(plan, index)
  const own = new Set(steps.map(({ id }) => id))
  return longestPath(
    steps.map((step) => ({ ...step, after: step.after.filter((id) => own.has(id)) })),
  ).seconds.worst
}

/** A member before its turn: the fleet it is judged by, and whether that is known. */
interface Turn {
  readonly member: Member | null
  readonly view: FleetView
}

function turnsOf(intent: SetIntent, view: FleetView, read: ReadMember): readonly Turn[] {
  let left = view
  return intent.drafts.map(({ kind, intent: inner }): Turn => {
    const member = read(kind, inner)
    if (member?.ok !== true) return { member: null, view: left }
    const turn = { member: member.draft, view: left }
    const stops = member.draft.findings(left).some(({ level }) => level === 'stop')
    left = (stops ? null : member.draft.after(left)) ?? left
    return turn
  })
}

function unreadable(intent: SetIntent, view: FleetView, read: ReadMember): readonly RawFinding[] {
  return intent.drafts.flatMap(({ kind, intent: inner, window }, index): readonly RawFinding[] => {
    const field = `drafts[${index}]`
    if (kind === setName)
      return [stop(memberRule(index, 'kind'), `${field}.kind`, said('set.kind-set'))]
    const member = read(kind, inner)
    if (!member)
      return [stop(memberRule(index, 'kind'), `${field}.kind`, said('set.kind-unknown', { kind }))]
    return [
      ...(member.ok
        ? []
        : member.issues
            .slice(0, 10)
            .map(({ path, message }, issue) =>
              stop(
                memberRule(index, `readable.${issue}`),
                [`${field}.intent`, ...path.map(String)].join('.'),
                said('set.unreadable', { field: path.map(String).join('.'), problem: message }),
              ),
            )),
      ...(window === null || windowNamed(view, window)
        ? []
        : [
            stop(
              memberRule(index, 'window'),
              `${field}.window`,
              said('set.window-missing', {
                window,
                windows: windowsOf(view).map(({ name }) => name),
              }),
            ),
          ]),
    ]
  })
}

const asMembers = (index: number, finding: Finding): RawFinding => {
  const { key: _key, remedies, field: _field, ...rest } = finding
  return {
    ...rest,
    ...memberFinding(index, finding),
    offers: remedies.flatMap(({ says, change }) =>
      'patchDraft' in change
        ? [
            {
              says,
              change: {
                patchDraft: change.patchDraft.map((operation) => ({
                  ...operation,
                  path: `/drafts/${index}/intent${operation.path}`,
                })),
              },
            },
          ]
        : [],
    ),
  }
}

function planOf(intent: SetIntent, turns: readonly Turn[]): Plan {
  const steps: Step[] = []
  const ends: (readonly string[])[] = []
  const plans = turns.flatMap(({ member, view }) => (member ? [member.plan(view)] : []))
  plans.forEach((plan, index) => {
    const own = plan.steps.map((step): Step => {
      const { replaces, ...rest } = step
      return {
        ...rest,
        id: `${index}/${step.id}`,
        after:
          step.after.length > 0
            ? step.after.map((id) => `${index}/${id}`)
            : (ends[index - intent.atOnce] ?? []),
        ...(replaces ? { replaces: replaces.map((id) => `${index}/${id}`) } : {}),
      }
    })
    const waitedFor = new Set(own.flatMap((step) => step.after))
    steps.push(...own)
    ends.push(own.filter((step) => !waitedFor.has(step.id)).map((step) => step.id))
  })
  const path = longestPath(steps)
  const soaked = intent.soakSeconds * Math.max(0, Math.ceil(plans.length / intent.atOnce) - 1)
  const all = (of: (plan: Plan) => readonly Ref[]): readonly Ref[] => [
    ...new Set(plans.flatMap(of)),
  ]
  return {
    steps,
    creates: all((plan) => plan.creates),
    alters: all((plan) => plan.alters),
    removes: all((plan) => plan.removes),
    seconds: { likely: path.seconds.likely + soaked, worst: path.seconds.worst + soaked },
    critical: path.critical,
    spend: {
      before: plans.reduce((sum, plan) => sum + plan.spend.before, 0),
      after: plans.reduce((sum, plan) => sum + plan.spend.after, 0),
      ...(plans.some(({ spend }) => spend.meanwhile !== undefined)
        ? { meanwhile: plans.reduce((sum, { spend }) => sum + (spend.meanwhile ?? 0), 0) }
        : {}),
    },
    // Each puts aside what it takes when its turn comes.
    reserves: [],
  }
}

/** The kind, for a list of kinds whose drafts it may hold. */
export function setRunOf(read: ReadMember): ChangeKind<SetIntent> {
  const members = (intent: SetIntent): readonly Member[] =>
    intent.drafts.flatMap(({ kind, intent: inner }) => {
      const member = kind === setName ? null : read(kind, inner)
      return member?.ok === true ? [member.draft] : []
    })
  return {
    name: setName,
    title: 'Run several as one',
    intent: setIntent,
    needs: (intent) => [...new Set(members(intent).flatMap(({ needs }) => needs))],
    subjects: (intent, view) => [
      ...new Set(members(intent).flatMap((member) => member.subjects(view))),
    ],
    guardedBy: (intent, view) =>
      members(intent).flatMap((member) => member.guardedBy(view) ?? [])[0] ?? null,
    guards: (intent, view) => [
      ...new Set(members(intent).flatMap((member) => member.guardedBy(view) ?? [])),
    ],
    label: (intent) =>
      intent.label === '' ? `${countText(intent.drafts.length, 'change')} as one` : intent.label,
    check: (intent, view) => {
      const problems = unreadable(intent, view, read)
      if (problems.length > 0) return problems
      const turns = turnsOf(intent, view, read)
      return turns.flatMap(({ member, view: standing }, index): readonly RawFinding[] => {
        if (!member) return []
        const findings = member.findings(standing)
        const isUnseen =
          index < turns.length - 1 &&
          !findings.some(({ level }) => level === 'stop') &&
          member.after(standing) === null
        return [
          ...findings.map((finding) => asMembers(index, finding)),
          ...(isUnseen
            ? [
                {
                  level: 'note' as const,
                  rule: memberRule(index, 'unseen'),
                  field: `drafts[${index}]`,
                  ...said('set.unseen', { draft: member.label }),
                  because: [],
                },
              ]
            : []),
        ]
      })
    },
    plan: (intent, view) => planOf(intent, turnsOf(intent, view, read)),
    // What a set was for is proven by its members, each by itself.
    prove: () => [],
    after: (intent, view) => {
      const last = turnsOf(intent, view, read).at(-1)
      return (last && last.member?.after(last.view)) ?? last?.view ?? view
    },
  }
}
