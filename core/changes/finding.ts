/** What stands against a draft, put together. */
import type { Said } from '../contract'
import type { RawFinding } from './change'

const at =
  (level: RawFinding['level']) =>
  (
    rule: string,
    field: string,
    said: Said,
    because: RawFinding['because'] = [],
    offers: NonNullable<RawFinding['offers']> = [],
  ): RawFinding => ({ level, rule, field, ...said, because, offers })

/** With this a draft does not run. */
export const stop = at('stop')
/** With this it runs only once somebody has accepted it. */
export const caution = at('caution')
