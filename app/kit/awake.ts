import { useSyncExternalStore } from 'react'

const never = (): (() => void) => () => undefined

/** False on the server and while its page wakes up, true from then on: for what can only be drawn in a browser. */
export const useAwake = (): boolean =>
  useSyncExternalStore(
    never,
    () => true,
    () => false,
  )
