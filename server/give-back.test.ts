import { getHeapStatistics } from 'node:v8'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { givingBack } from './give-back'

const mib = 2 ** 20
const usedMiB = (): number => getHeapStatistics().used_heap_size / mib

/** Takes about 80 MiB and lets go of it; nothing collects it by itself at once. */
function litter(): void {
  const kept: number[][] = []
  for (let i = 0; i < 100; i++) kept.push(Array.from({ length: 100_000 }, (_, n) => n + 0.5))
  kept.length = 0
}

beforeEach(() => void vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout', 'performance'] }))
afterEach(() => void vi.useRealTimers())

test.each([false, true])(
  'a thread that stands still gives back what it needs no more (%s)',
  async (shrinks) => {
    const giveBack = givingBack({ shrinks })
    const before = usedMiB()
    litter()
    giveBack()
    const littered = usedMiB()
    vi.advanceTimersByTime(1900)
    expect(usedMiB()).toBeGreaterThan(littered - 10)
    vi.advanceTimersByTime(200)
    await vi.waitFor(() => expect(usedMiB()).toBeLessThan(before + 10))
  },
)

test('one that is never left alone does so as well, and not before it holds twice what it needed', () => {
  const giveBack = givingBack()
  giveBack()
  vi.advanceTimersByTime(2100)
  const before = usedMiB()
  const busyForFourSeconds = (): void => {
    for (let i = 0; i < 8; i++) {
      vi.advanceTimersByTime(500)
      giveBack()
    }
  }
  const untidy = Array.from({ length: 1000 }, (_, n) => ({ n }))
  untidy.length = 0
  busyForFourSeconds()
  expect(usedMiB()).toBeGreaterThan(before)
  const rounds = Math.ceil((before + 20) / 80) + 1
  for (let i = 0; i < rounds; i++) litter()
  busyForFourSeconds()
  expect(usedMiB()).toBeLessThan(before + 10)
})
