/** The sentences of this area, by the code of what they tell. */
import { sentences } from '~/core/contract/said'

export const said = sentences({
  'walked-again': () => 'walked again with it, it arrives',
})
