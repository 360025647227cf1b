import { AreaTabs } from '../../parts/area-tabs'

const views = [
  ['/journal', 'lines'],
  ['/journal/observed', 'observed'],
  ['/journal/compare', 'two moments'],
  ['/journal/estimates', 'estimates'],
] as const

export const JournalTabs = ({ here }: { readonly here: (typeof views)[number][0] }) => (
  <AreaTabs area="the journal" views={views} here={here} />
)
