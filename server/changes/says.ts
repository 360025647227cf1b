/** What changes tell of themselves. */
import { sentences } from '~/core/contract'
import { listText } from '~/core/units'

const part = (says: string, steps: readonly string[]): string =>
  steps.length === 0 ? '' : ` ${says}: ${listText(steps, 3)}.`

export const said = sentences({
  'returned.stopped': (p: { stop: string }) => `It cannot run any more: ${p.stop}`,
  'returned.cautions': (p: { cautions: readonly string[] }) =>
    `There is something to accept that was not there before: ${p.cautions.join(' ')}`,
  'set.unreadable': (p: { kind: string }) => `A draft of kind ${p.kind} cannot be read any more.`,
  'set.walks-broken': (p: { walks: readonly string[] }) =>
    `The next does not begin: ${listText(p.walks, 4)} ${p.walks.length === 1 ? 'does' : 'do'} not hold.`,
  'set.broken': (p: { clusters: readonly string[] }) =>
    `The next does not begin: ${listText(p.clusters, 4)} ${p.clusters.length === 1 ? 'is' : 'are'} broken.`,
  'set.member-failed': (p: { change: string; label: string; why: string }) =>
    `${p.change} (${p.label}): ${p.why}`,
  'set.not-back': (p: { change: string; why: string }) =>
    `${p.change} cannot be taken back: ${p.why}`,
  'returned.differs': (p: {
    come: readonly string[]
    gone: readonly string[]
    otherwise: readonly string[]
  }) =>
    `Its plan is another one now than was read.${part('Added', p.come)}${part('Gone', p.gone)}${part('Done otherwise', p.otherwise)}`,
})
