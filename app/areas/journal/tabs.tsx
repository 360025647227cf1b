import { AreaTabs } from '../../parts/area-tabs'

const views = [
  ['/journal', 'Lines'],
  ['/journal/observed', 'Observed'],
  ['/journal/compare', 'Two moments'],
  ['/journal/estimates', 'Estimates'],
] as const

export const JournalTabs = ({ here }: { readonly here: (typeof views)[number][0] }) => (
  <AreaTabs area="the journal" views={views} here={here} />
)
