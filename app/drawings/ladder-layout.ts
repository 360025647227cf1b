/** Where a ladder draws what: versions upward, steps to the right; the control plane climbs, pools follow within what they may lag. */
import { isTooOld, type UpgradeStep } from '~/core/releases'
import { minorLine } from '~/core/units'

export interface LadderAsked {
  readonly from: string
  readonly steps: readonly UpgradeStep[]
  readonly pools: readonly { readonly name: string; readonly version: string }[]
  readonly addOns: readonly { readonly name: string; readonly version: string }[]
  /** The part of each step that is done, 0 to 1, while it runs; null before. */
  readonly progress?: readonly number[] | null
}

export interface LadderLine {
  readonly name: string
  /** An SVG path. */
  readonly path: string
  readonly turnovers: readonly { readonly x: number; readonly y: number; readonly says: string }[]
  readonly endX: number
  readonly endY: number
}

export interface LadderLayout {
  readonly height: number
  /** Up to where it has been climbed; null where nothing runs. */
  readonly doneX: number | null
  readonly minors: readonly { readonly minor: string; readonly y: number }[]
  /** Where agents may be: an SVG path. */
  readonly band: string
  readonly controlPlane: LadderLine
  readonly pools: readonly LadderLine[]
  readonly addOns: readonly {
    readonly name: string
    readonly y: number
    readonly parts: readonly {
      readonly version: string
      readonly x: number
      readonly width: number
    }[]
  }[]
}

export const left = 112
const top = 14
const minorHeight = 30
const addOnHeight = 22
const right = 14

const numberOf = (release: string): number => Number(minorLine(release).split('.')[1] ?? 0)

/** The lowest minor that an agent may have beside a control plane. */
function lowestBeside(release: string): number {
  const major = release.split('.')[0] ?? '1'
  let minor = numberOf(release)
  while (minor > 0 && !isTooOld(`${major}.${minor - 1}.0`, release)) minor--
  return minor
}

/** A line that keeps its height between steps and rises at them. */
function stairs(points: readonly (readonly [x: number, y: number])[], endX: number): string {
  const [first, ...rest] = points
  if (!first) return ''
  return `M${first[0]} ${first[1]}${rest.map(([x, y]) => `H${x}V${y}`).join('')}H${endX}`
}

/** How many steps are done: they follow each other, so that what is under way is the first that is not. */
function reachedBy(progress: readonly number[]): number {
  const current = progress.findIndex((part) => part < 1)
  return current < 0 ? progress.length : current + (progress[current] ?? 0)
}

export function ladderLayout(asked: LadderAsked, width: number): LadderLayout {
  const { from, steps, pools, addOns } = asked
  const major = from.split('.')[0] ?? '1'
  const highest = Math.max(
    numberOf(from),
    ...steps.map((step) => (step.kind === 'add-on' ? 0 : numberOf(step.to))),
  )
  const lowest = Math.min(numberOf(from), ...pools.map(({ version }) => numberOf(version)))
  const yOf = (minor: number): number => top + (highest - minor) * minorHeight + minorHeight / 2
  const slot = (width - left - right) / Math.max(1, steps.length)
  const xOf = (index: number): number => left + index * slot
  const endX = xOf(steps.length)
  const climbs = steps.flatMap((step, index) =>
    step.kind === 'control-plane' ? [{ x: xOf(index) + slot / 2, to: step.to }] : [],
  )
  const at = [[left, yOf(numberOf(from))] as const]
  const controlPlane: LadderLine = {
    name: 'control plane',
    path: stairs([...at, ...climbs.map(({ x, to }) => [x, yOf(numberOf(to))] as const)], endX),
    turnovers: [],
    endX,
    endY: yOf(numberOf(climbs.at(-1)?.to ?? from)),
  }
  const reach = [{ x: left, to: from }, ...climbs]
  const upper = reach.map(({ x, to }) => [x, yOf(numberOf(to))] as const)
  const lower = reach.map(({ x, to }) => [x, yOf(Math.max(lowest, lowestBeside(to)))] as const)
  const back = [...lower].reverse()
  const band = `${stairs(upper, endX)}V${back[0]?.[1] ?? 0}${back
    .map(([x, y], index) => {
      const next = back[index + 1]
      return `H${x}${next ? `V${next[1]}` : `V${y}`}`
    })
    .join('')}Z`
  const base = top + (highest - lowest + 1) * minorHeight + 12
  return {
    height: base + addOns.length * addOnHeight + 4,
    doneX: asked.progress ? left + slot * reachedBy(asked.progress) : null,
    minors: Array.from({ length: highest - lowest + 1 }, (_, index) => ({
      minor: `${major}.${highest - index}`,
      y: yOf(highest - index),
    })),
    band,
    controlPlane,
    pools: pools.map(({ name, version }) => {
      const turnovers = steps.flatMap((step, index) =>
        step.kind === 'turnover' && step.pool === name
          ? [{ x: xOf(index) + slot / 2, y: yOf(numberOf(step.to)), says: step.to }]
          : [],
      )
      return {
        name,
        path: stairs(
          [[left, yOf(numberOf(version))], ...turnovers.map(({ x, y }) => [x, y] as const)],
          endX,
        ),
        turnovers,
        endX,
        endY: turnovers.at(-1)?.y ?? yOf(numberOf(version)),
      }
    }),
    addOns: addOns.map(({ name, version }, row) => {
      const moves = steps.flatMap((step, index) =>
        step.kind === 'add-on' && step.name === name
          ? [{ version: step.to, x: xOf(index) + slot / 2 }]
          : [],
      )
      const starts = [{ version, x: left }, ...moves]
      return {
        name,
        y: base + row * addOnHeight,
        parts: starts.map((part, index) => ({
          ...part,
          width: Math.max(1, (starts[index + 1]?.x ?? endX) - part.x - 2),
        })),
      }
    }),
  }
}
