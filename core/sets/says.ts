/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'
import { listText } from '../units'

export const said = sentences({
  'set.kind-unknown': (p: { kind: string }) => `There is no change kind ${p.kind}.`,
  'set.kind-set': () => 'A set holds no sets: put its drafts here one by one.',
  'set.unreadable': (p: { field: string; problem: string }) =>
    `${p.field === '' ? 'The draft' : p.field}: ${p.problem}`,
  'set.window-missing': (p: { window: string; windows: readonly string[] }) =>
    `There is no window ${p.window}. There are: ${listText(p.windows, 6)}.`,
  'set.unseen': (p: { draft: string }) =>
    `What ${p.draft} leaves is not known before it has run: what comes after it is judged by the fleet as it is now, and again when its turn comes.`,
})
