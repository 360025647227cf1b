/** A machine that stands, as a draft names it. */

import type { RaiseIntent } from '../raise-intent'

export type MachineIntent = RaiseIntent['machines'][number]

export const set = (index: number, key: string, value: unknown) => ({
  patchDraft: [{ op: 'add', path: `/machines/${index}/${key}`, value } as const],
})
