/** Where a ladder draws what. */
import { expect, it } from 'vitest'
import { type LadderAsked, ladderLayout, left } from './ladder-layout'

const asked: LadderAsked = {
  from: '1.26.3',
  steps: [
    { kind: 'add-on', name: 'trellis', from: '1.0.0', to: '1.1.0' },
    { kind: 'control-plane', from: '1.26.3', to: '1.27.5' },
    { kind: 'control-plane', from: '1.27.5', to: '1.28.2' },
    { kind: 'turnover', pool: 'general', from: '1.26.3', to: '1.28.2' },
  ],
  pools: [{ name: 'general', version: '1.26.3' }],
  addOns: [{ name: 'trellis', version: '1.0.0' }],
}

it('puts newer minors higher, and later steps further right', () => {
  const layout = ladderLayout(asked, 800)
  expect(layout.minors.map(({ minor }) => minor)).toEqual(['1.28', '1.27', '1.26'])
  const ys = layout.minors.map(({ y }) => y)
  expect(ys).toEqual([...ys].sort((a, b) => a - b))
  expect(layout.controlPlane.endY).toBe(ys[0])
  expect(layout.controlPlane.endX).toBeLessThanOrEqual(800)
})

it('has the pool end where the control plane ends, by one turnover after its last step', () => {
  const layout = ladderLayout(asked, 800)
  const [pool] = layout.pools
  expect(pool?.endY).toBe(layout.controlPlane.endY)
  expect(pool?.turnovers.map(({ says }) => says)).toEqual(['1.28.2'])
  const [turnover] = pool?.turnovers ?? []
  const climbs = [...layout.controlPlane.path.matchAll(/H([\d.]+)V/g)].map(([, x]) => Number(x))
  expect(turnover?.x).toBeGreaterThan(Math.max(...climbs))
})

it('is reached up to within the step that is under way, and not at all before it runs', () => {
  const layout = (progress: readonly number[] | null) => ladderLayout({ ...asked, progress }, 800)
  const { endX } = layout(null).controlPlane
  const slot = (endX - left) / asked.steps.length
  expect(layout(null).doneX).toBe(null)
  expect(layout([0, 0, 0, 0]).doneX).toBe(left)
  expect(layout([1, 1, 0.5, 0]).doneX).toBeCloseTo(left + 2.5 * slot)
  expect(layout([1, 1, 1, 1]).doneX).toBe(endX)
})

it('draws every version of an add-on once, side by side', () => {
  const [trellis] = ladderLayout(asked, 800).addOns
  expect(trellis?.parts.map(({ version }) => version)).toEqual(['1.0.0', '1.1.0'])
  const [before, after] = trellis?.parts ?? []
  expect(before?.x).toBe(left)
  expect((before?.x ?? 0) + (before?.width ?? 0)).toBeLessThan(after?.x ?? 0)
})
