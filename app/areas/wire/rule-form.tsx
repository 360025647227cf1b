/** A rule of a firewall, made or changed. */
import Button from '@mui/material/Button'
import { z } from 'zod'
import type { FirewallRuleView } from '~/core/fleet'
import { ChoiceAt, NumberAt, SchemaForm, TextAt, TextsAt, useSchemaForm } from '../../kit/form'
import { Refused } from '../../kit/notice'
import { useDraft } from '../../parts/draft-change'
import { ruleIntent } from './rule-intent'

const directions = ['in', 'out'] as const
const actions = ['allow', 'deny'] as const
const protocols = ['tcp', 'udp', 'sctp', 'any'] as const

const ruleForm = z.object({
  name: z.string().trim().min(1, 'Give the rule a name.').max(63, 'At most 63 letters.'),
  priority: z
    .number('Give a whole number; the smallest decides first.')
    .int('Give a whole number; the smallest decides first.')
    .min(0)
    .max(1_000_000),
  direction: z.enum(directions),
  action: z.enum(actions),
  from: z.array(z.string()),
  to: z.array(z.string()),
  protocol: z.enum(protocols),
  ports: z.array(
    z.string().regex(/^\d{1,5}(-\d{1,5})?$/, 'A port is like 443, a span like 8000-8100.'),
  ),
})

const isOneOf = <Value extends string>(
  all: readonly Value[],
  value: string | undefined,
  usual: Value,
): Value => all.find((candidate) => candidate === value) ?? usual

const startOf = (rule: FirewallRuleView | null): z.infer<typeof ruleForm> => ({
  name: rule?.name ?? '',
  priority: rule?.priority ?? 100,
  direction: isOneOf(directions, rule?.direction, 'in'),
  action: isOneOf(actions, rule?.action, 'deny'),
  from: [...(rule?.from ?? [])],
  to: [...(rule?.to ?? [])],
  // A rule that names no protocol holds for every one.
  protocol: rule ? isOneOf(protocols, rule.protocol, 'any') : 'tcp',
  ports: [...(rule?.ports ?? [])],
})

export function RuleForm({
  site,
  start,
}: {
  readonly site: string
  readonly start: FirewallRuleView | null
}) {
  const form = useSchemaForm(ruleForm, startOf(start))
  const { draft, isBusy, refused } = useDraft()
  return (
    <section className="below-table" aria-label="A rule">
      <h2>{start ? `Change ${start.name}` : 'A new rule'}</h2>
      <SchemaForm
        label="A rule"
        form={form}
        onSubmit={(rule) => draft('wire.firewall', ruleIntent(site, rule, start))}
      >
        <TextAt path="name" label="Name" mono />
        <NumberAt path="priority" label="Priority" max={1_000_000} width={100} />
        <ChoiceAt path="direction" label="Way" options={directions} width={90} />
        <ChoiceAt path="action" label="Does" options={actions} width={100} />
        <TextsAt path="from" label="From" mono placeholder="all" width={170} />
        <TextsAt path="to" label="To" mono placeholder="all" width={170} />
        <ChoiceAt path="protocol" label="Protocol" options={protocols} width={100} />
        <TextsAt path="ports" label="Ports" mono placeholder="all, or 443, 8000-8100" width={190} />
        <Button type="submit" variant="contained" disabled={isBusy}>
          Draft the rule
        </Button>
      </SchemaForm>
      <Refused says={refused} />
    </section>
  )
}
