/** A change for a ticket: what was meant, what stood against it, what was planned, what happened. */
import { countText, durationText, moneyText } from '~/core/units'
import type { ChangeRecord } from '~/server/changes/changes'
import { pathText, refsText, spendText } from '../../parts/plan'

const cell = (text: string): string => text.replaceAll('|', '\\|').replaceAll('\n', ' ')

/** What of a change a ticket is told. */
type Told = Pick<
  ChangeRecord,
  'cause' | 'findings' | 'id' | 'label' | 'plan' | 'proof' | 'state'
> & {
  readonly steps: readonly Pick<
    ChangeRecord['steps'][number],
    'attempts' | 'endedAt' | 'group' | 'says' | 'startedAt' | 'state'
  >[]
}

export function markdownOf(record: Told): string {
  const { plan } = record
  const lines: string[] = [`# ${record.label} (${record.id}): ${record.state}`, '']
  if (record.cause) {
    lines.push(`**Cause:** ${record.cause.says}`, '')
    for (const link of record.cause.chain) lines.push(`- \`${link.about}\`: ${link.says}`)
    lines.push('')
  }
  if (plan) {
    lines.push(
      `Plan: ${countText(plan.steps.length, 'step')}, likely ${durationText(plan.seconds.likely)}, worst ${durationText(plan.seconds.worst)}. Makes ${refsText(plan.creates)}; removes ${refsText(plan.removes)}. Spend at the site ${moneyText(plan.spend.before)} → ${moneyText(plan.spend.after)} a month (${spendText(plan.spend)}).`,
      `Longest path: ${pathText(plan)}.`,
      '',
    )
  }
  if (record.findings.length > 0) {
    lines.push('## Findings', '')
    for (const finding of record.findings) lines.push(`- **${finding.level}** ${finding.says}`)
    lines.push('')
  }
  const steps = record.steps.length > 0 ? record.steps : []
  if (steps.length > 0) {
    lines.push(
      '## Steps',
      '',
      '| what | step | state | attempts | started | ended |',
      '| --- | --- | --- | --- | --- | --- |',
    )
    for (const step of steps)
      lines.push(
        `| ${cell(step.group)} | ${cell(step.says)} | ${step.state} | ${step.attempts} | ${step.startedAt ?? ''} | ${step.endedAt ?? ''} |`,
      )
    lines.push('')
  } else if (plan) {
    lines.push(
      '## Steps planned',
      '',
      '| what | step | likely | worst |',
      '| --- | --- | --- | --- |',
    )
    for (const step of plan.steps)
      lines.push(
        `| ${cell(step.group)} | ${cell(step.says)} | ${durationText(step.seconds.likely)} | ${durationText(step.seconds.worst)} |`,
      )
    lines.push('')
  }
  if (record.proof) {
    lines.push('## Proof', '')
    for (const proof of record.proof)
      lines.push(
        `- ${proof.holds ? 'holds' : '**does not hold**'}: ${proof.says}: ${proof.observed}`,
      )
    lines.push('')
  }
  return `${lines.join('\n').trimEnd()}\n`
}
