/** jsdom lays nothing out: drawings in the tests of a file are never told a size and keep the one they begin with. */
import { cleanup } from '@testing-library/react'
import { afterEach, beforeEach, vi } from 'vitest'

class NeverTold {
  observe(): void {}
  disconnect(): void {}
}

/** Called once in a file of tests, outside of any. */
export function withoutLayout(): void {
  beforeEach(() => void vi.stubGlobal('ResizeObserver', NeverTold))
  afterEach(() => {
    cleanup()
    vi.unstubAllGlobals()
  })
}
