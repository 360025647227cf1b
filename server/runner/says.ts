/** What runs tell of themselves. */
import { sentences } from '~/core/contract'

export const said = sentences({
  step: (p: { change: string; group: string; step: string }) =>
    `${p.change}: ${p.group}: ${p.step}`,
  'proofs.failed': () =>
    'Its steps are done, but whether they did what they were for could not be looked at.',
  'proofs.broken': (p: { proofs: number; broken: readonly string[] }) =>
    `${p.broken.length} of ${p.proofs} proofs ${p.broken.length === 1 ? 'does' : 'do'} not hold: ${p.broken.join('; ')}`,
})
