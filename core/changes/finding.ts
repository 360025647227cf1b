/** What stands against a draft, put together. */
import type { RawFinding } from './change'

const at =
  (level: RawFinding['level']) =>
  (
    rule: string,
    field: string,
    says: string,
    because: RawFinding['because'] = [],
    offers: NonNullable<RawFinding['offers']> = [],
  ): RawFinding => ({ level, rule, field, says, because, offers })

/** With this a draft does not run. */
export const stop = at('stop')
/** With this it runs only once somebody has accepted it. */
export const caution = at('caution')
