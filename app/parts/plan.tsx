/** A plan in a few lines: what it makes, how long it takes, what it costs, and the path that decides. */
import type { Plan } from '~/core/changes'
import { countText, durationText, moneyText } from '~/core/units'
import { Tip } from '../kit/tip'

const plurals: Readonly<Record<string, string>> = {
  address: 'addresses',
  'control-plane': 'control planes',
}

/** “3 nodes, 2 addresses” from refs, by kind in the order they come. */
export function refsText(refs: readonly string[]): string {
  const counts = new Map<string, number>()
  for (const ref of refs) {
    const kind = ref.split('/')[0] ?? ''
    counts.set(kind, (counts.get(kind) ?? 0) + 1)
  }
  return (
    [...counts].map(([kind, count]) => countText(count, kind, plurals[kind])).join(', ') ||
    'nothing'
  )
}

/** The critical path as what it touches: the same thing named once. */
export function pathText(plan: Plan): string {
  const byId = new Map(plan.steps.map((step) => [step.id, step]))
  const groups: string[] = []
  for (const id of plan.critical) {
    const group = byId.get(id)?.group
    if (group !== undefined && groups.at(-1) !== group) groups.push(group)
  }
  return groups.join(' → ')
}

const least = 0.0005

const changeText = (change: number, per: string): string =>
  `${change < 0 ? '−' : '+'} ${moneyText(Math.abs(change))} ${per}`

export function spendText({ before, after, meanwhile = 0 }: Plan['spend']): string {
  const parts = [
    ...(Math.abs(after - before) < least ? [] : [changeText(after - before, 'a month')]),
    ...(Math.abs(meanwhile) < least ? [] : [changeText(meanwhile, 'while it runs')]),
  ]
  return parts.length === 0 ? 'nothing' : parts.join(', ')
}

/** On how many runs the estimates of a plan rest. */
export function restsText(plan: Plan): string {
  const learnt = plan.steps.flatMap(({ seconds }) => seconds.runs ?? [])
  if (learnt.length === 0) return 'what is usual, no runs yet'
  const largest = Math.max(...learnt)
  const assumed = plan.steps.length - learnt.length
  return assumed === 0
    ? countText(largest, 'run')
    : `${countText(largest, 'run')}, ${countText(assumed, 'step')} on what is usual`
}

export function PlanSummary({ plan }: { readonly plan: Plan | null }) {
  if (!plan) {
    return (
      <div>
        <h3>Plan</h3>
        <p className="soft">There is a plan once nothing stops it.</p>
      </div>
    )
  }
  return (
    <div>
      <h3>Plan</h3>
      <dl className="facts">
        <div>
          <dt>{countText(plan.steps.length, 'step')}</dt>
          <dd>
            likely {durationText(plan.seconds.likely)} · worst {durationText(plan.seconds.worst)}
          </dd>
        </div>
        <div>
          <dt>estimates rest on</dt>
          <dd>{restsText(plan)}</dd>
        </div>
        {plan.creates.length > 0 ? (
          <div>
            <dt>makes</dt>
            <Tip says={plan.creates.join(', ')}>
              <dd tabIndex={0}>{refsText(plan.creates)}</dd>
            </Tip>
          </div>
        ) : null}
        {plan.alters.length > 0 ? (
          <div>
            <dt>alters</dt>
            <Tip says={plan.alters.join(', ')}>
              <dd tabIndex={0}>{refsText(plan.alters)}</dd>
            </Tip>
          </div>
        ) : null}
        {plan.removes.length > 0 ? (
          <div>
            <dt>removes</dt>
            <Tip says={plan.removes.join(', ')}>
              <dd tabIndex={0}>{refsText(plan.removes)}</dd>
            </Tip>
          </div>
        ) : null}
        <div>
          <dt>changes spend</dt>
          <dd
            title={`${moneyText(plan.spend.before)} before, ${moneyText(plan.spend.after)} after, units a month of 730 hours at the site`}
          >
            {spendText(plan.spend)}
          </dd>
        </div>
        <div>
          <dt>longest path</dt>
          <dd>{pathText(plan)}</dd>
        </div>
      </dl>
    </div>
  )
}
