/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../../core/contract/said'

export const said = sentences({
  // simulator
  'unknown-verb': (p: { verb: string }) => `There is no command ${p.verb} here.`,
})
