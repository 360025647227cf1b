import { useColorScheme } from '@mui/material/styles'
import { useEffect, useState } from 'react'

export type Tokens = (name: string) => string

/** Our colours and fonts as a canvas takes them; null until the page is awake, and where nothing can be drawn. They follow light and dark. */
export function useTokens(): Tokens | null {
  const [tokens, setTokens] = useState<{ readonly read: Tokens } | null>(null)
  const { mode, systemMode } = useColorScheme()
  useEffect(() => {
    if (!document.createElement('canvas').getContext('2d')) return
    const style = getComputedStyle(document.documentElement)
    setTokens({ read: (name) => style.getPropertyValue(name).trim() || 'currentColor' })
    // The theme decides what the tokens are.
  }, [mode, systemMode])
  return tokens?.read ?? null
}

/** Text on a canvas, as text on the page. */
export const fontOf = (tokens: Tokens) => ({ family: tokens('--text'), size: 11.5 })
