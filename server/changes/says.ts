/** What changes tell of themselves. */
import { sentences } from '~/core/contract'
import { listText } from '~/core/units'

const part = (says: string, steps: readonly string[]): string =>
  steps.length === 0 ? '' : ` ${says}: ${listText(steps, 3)}.`

export const said = sentences({
  'returned.stopped': (p: { stop: string }) => `It cannot run any more: ${p.stop}`,
  'returned.cautions': (p: { cautions: readonly string[] }) =>
    `There is something to accept that was not there before: ${p.cautions.join(' ')}`,
  'returned.differs': (p: {
    come: readonly string[]
    gone: readonly string[]
    otherwise: readonly string[]
  }) =>
    `Its plan is another one now than was read.${part('Added', p.come)}${part('Gone', p.gone)}${part('Done otherwise', p.otherwise)}`,
})
