/** What stands against a draft, put together. */
import { quoted, type Said } from '../contract'
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

/** Something to know, which stands in nobody’s way. */
export const note = at('note')

/** Where a field of an intent is for a patch: `add[0].range` is at `/add/0/range`. */
export const pointerOf = (field: string): string =>
  `/${field.replace(/\[(\d+)\]/g, '/$1').replace(/\./g, '/')}`

/** A range that does not read, and the nearest one that does where there is one. */
export const unreadableRange = (
  rule: string,
  field: string,
  refusal: { readonly says: string; readonly suggest: string | null },
  because: RawFinding['because'] = [],
): RawFinding =>
  stop(
    rule,
    field,
    quoted('range.unreadable', refusal.says),
    because,
    refusal.suggest === null
      ? []
      : [
          {
            says: `Use ${refusal.suggest}`,
            change: {
              patchDraft: [{ op: 'replace', path: pointerOf(field), value: refusal.suggest }],
            },
          },
        ],
  )
