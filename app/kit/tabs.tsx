/** Views beside each other: each is an address of its own, which keeps the aim. Arrows move, Enter opens. */
import Tab from '@mui/material/Tab'
import MuiTabs from '@mui/material/Tabs'
import { To } from '../parts/to'
import { useTurn } from './turn'

export interface TabLink {
  readonly id: string
  readonly says: string
  readonly path: string
  readonly query?: Readonly<Record<string, string | null>>
}

export function Tabs({
  label,
  tabs,
  here,
}: {
  readonly label: string
  readonly tabs: readonly TabLink[]
  readonly here: string
}) {
  useTurn()
  return (
    <MuiTabs
      value={here}
      aria-label={label}
      variant="scrollable"
      scrollButtons={false}
      className="tabs"
    >
      {tabs.map(({ id, says, path, query }) => (
        <Tab
          key={id}
          value={id}
          label={says}
          component={To}
          path={path}
          query={query ?? {}}
          aria-current={id === here ? 'page' : undefined}
        />
      ))}
    </MuiTabs>
  )
}
