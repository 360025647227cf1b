/** Single-letter keys. None acts while a field or a control that uses it has focus, and all can be switched off. */
import { useEffect, useRef } from 'react'

export const keyList: readonly (readonly [string, string])[] = [
  ['1–9', 'go to an area'],
  ['a', 'change the aim'],
  ['Ctrl/⌘ K', 'jump: any object, area, change or command'],
  ['/', 'find in this view'],
  ['c', 'start a change on the selection'],
  ['m', 'go to the case of the selection'],
  ['t', 'drawing ↔ table'],
  ['\\', 'fold the reason panel'],
  ['Space', 'pause or resume the clock'],
  ['.', 'step the clock to its next event'],
  ['y', 'copy the selected name or address'],
  ['?', 'this list'],
]

const storage = 'gyrarch-letter-keys'
export const letterKeysOn = (): boolean =>
  typeof localStorage === 'undefined' || localStorage.getItem(storage) !== 'off'
export const setLetterKeys = (on: boolean): void => localStorage.setItem(storage, on ? 'on' : 'off')

const usesKeys = (target: EventTarget | null, key: string): boolean => {
  if (!(target instanceof HTMLElement)) return false
  if (
    target.isContentEditable ||
    target.closest(
      'input, textarea, select, [role="textbox"], [role="combobox"], [role="dialog"], [role="menu"], [role="listbox"]',
    )
  )
    return true
  return (
    key === ' ' &&
    target.closest('button, a, summary, [role="button"], [role="checkbox"], [role="radio"]') !==
      null
  )
}

/** Acts on a key; `ctrl` keys act everywhere. */
export function useKey(
  key: string,
  act: () => void,
  options: { readonly ctrl?: boolean } = {},
): void {
  const latest = useRef(act)
  useEffect(() => {
    latest.current = act
  })
  const ctrl = options.ctrl ?? false
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      const pressed = event.key.length === 1 ? event.key.toLowerCase() : event.key
      if (pressed !== key || event.repeat || event.altKey) return
      if (ctrl !== (event.ctrlKey || event.metaKey)) return
      if (!ctrl && (usesKeys(event.target, event.key) || !letterKeysOn())) return
      event.preventDefault()
      latest.current()
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  }, [key, ctrl])
}
