/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../../core/contract/said'

export const said = sentences({
  // site
  'not-there': (p: { siteName: string }) => `${p.siteName} is not there`,
  'refused-not-known': () => 'refused: not known',
  accepted: () => 'accepted',
  'refused-ended': (p: { until: string }) => `refused: ended ${p.until}`,
})
