/** What is told of machines that call. */
import { sentences } from '~/core/contract'

export const said = sentences({
  'call.taken': (p: { machine: string; address: string; card: string }) =>
    `${p.machine} called from ${p.address} on ${p.card}; clock and runtime are right`,
  'call.wrong': (p: { problems: readonly string[] }) => `called: ${p.problems.join(' ')}`,
  'call.refused': (p: { problems: readonly string[] }) =>
    `called, not taken: ${p.problems.join(' ')}`,
  'call.not-taken': () => 'was not taken into use',
})
