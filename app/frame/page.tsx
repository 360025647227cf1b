/** The two columns of every page: the area in charge, and the reason beside it. */
import { PanelRightClose, PanelRightOpen } from 'lucide-react'
import { createContext, type ReactNode, useContext, useState } from 'react'
import { useKey } from './keys'
import { IconButton } from '../kit/icon-button'
import { useTurn } from '../kit/turn'

interface Fold {
  readonly folded: boolean | null
  readonly toggle: () => void
}

const FoldContext = createContext<Fold>({ folded: null, toggle: () => undefined })

export function FoldProvider({ children }: { readonly children: ReactNode }) {
  const [folded, setFolded] = useState<boolean | null>(null)
  const toggle = (): void =>
    setFolded((was) => !(was ?? window.matchMedia('(max-width: 1100px)').matches))
  useKey('\\', toggle)
  return <FoldContext.Provider value={{ folded, toggle }}>{children}</FoldContext.Provider>
}

export interface PageProps {
  readonly title: ReactNode
  readonly beside?: ReactNode
  readonly reason: ReactNode
  readonly children: ReactNode
}

export function Page({ title, beside, reason, children }: PageProps) {
  useTurn()
  const { folded, toggle } = useContext(FoldContext)
  return (
    <div className="page" data-folded={folded === true} data-open={folded === false}>
      <main className="area" id="area" tabIndex={-1}>
        <div className="area-head">
          <h1>{title}</h1>
          {beside}
        </div>
        {children}
      </main>
      <aside className="reason" aria-label="Reason">
        <div className="reason-fold">
          <IconButton
            says="Fold the reason panel"
            hint="Fold the reason panel (\)"
            expanded={folded !== true}
            onClick={toggle}
          >
            {folded === true ? (
              <PanelRightOpen size={15} aria-hidden />
            ) : (
              <PanelRightClose size={15} aria-hidden />
            )}
          </IconButton>
        </div>
        {folded === true ? null : <div className="reason-body">{reason}</div>}
      </aside>
    </div>
  )
}
