/** The areas in the order of the work. Number keys go by the full list, even while areas are missing. */
import {
  BookOpenText,
  Boxes,
  ListEnd,
  Milestone,
  MountainSnow,
  Orbit,
  Shapes,
  Spline,
  Stethoscope,
} from 'lucide-react'
import { NavLink, useNavigate } from 'react-router'
import { useAddress } from '../parts/to'
import { useKey } from './keys'
import { useTurn } from '../kit/turn'

export const areas = [
  { key: '1', path: '/fleet', name: 'Fleet', icon: Orbit },
  { key: '2', path: '/ground', name: 'Ground', icon: MountainSnow },
  { key: '3', path: '/raise', name: 'Raise', icon: Milestone },
  { key: '4', path: '/shape', name: 'Shape', icon: Shapes },
  { key: '5', path: '/wire', name: 'Wire', icon: Spline },
  { key: '6', path: '/store', name: 'Store', icon: Boxes },
  { key: '7', path: '/renew', name: 'Renew', icon: ListEnd },
  { key: '8', path: '/mend', name: 'Mend', icon: Stethoscope },
  { key: '9', path: '/journal', name: 'Journal', icon: BookOpenText },
] as const

export type Counts = Readonly<Partial<Record<(typeof areas)[number]['path'], number>>>

function Area({ area, count }: { readonly area: (typeof areas)[number]; readonly count: number }) {
  useTurn()
  const address = useAddress()
  const navigate = useNavigate()
  useKey(area.key, () => void navigate(address(area.path)))
  const Icon = area.icon
  return (
    <NavLink to={address(area.path)} title={`${area.name} (${area.key})`}>
      <Icon size={18} strokeWidth={1.6} aria-hidden />
      {area.name}
      {count > 0 ? (
        <span className="count">
          {count}
          <span className="visually-hidden"> want you</span>
        </span>
      ) : null}
    </NavLink>
  )
}

export const Rail = ({ counts }: { readonly counts: Counts }) => (
  <nav className="rail" aria-label="Areas">
    {areas.map((area) => (
      <Area key={area.path} area={area} count={counts[area.path] ?? 0} />
    ))}
  </nav>
)
