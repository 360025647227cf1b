/** The fleet as it was: differences of what was observed, kept small and told by Ref and field; and when something turned. */
export { delta, type Delta, type Json, withDelta } from './delta'
export { type Difference, differencesIn, isAbout } from './differences'
export { keptOf, retention, type SizedVersion, staying, visibleTime } from './retention'
export { turnOf, type Turn } from './turn'
