/** Where marks stand on tracks of one time axis: those that would cover each other are drawn as one, with how many it is. */

export interface Mark {
  /** ISO. */
  readonly at: string
  readonly says: string
  readonly isCause: boolean
}

export interface Track {
  readonly name: string
  readonly marks: readonly Mark[]
}

export interface PlacedMark {
  readonly x: number
  readonly count: number
  readonly says: string
  readonly isCause: boolean
}

export interface Scale {
  readonly from: number
  readonly until: number
  readonly width: number
}

const steps = [60, 300, 600, 1800, 3600, 3 * 3600, 6 * 3600, 86_400].map(
  (seconds) => seconds * 1000,
)

export const xOf = (at: number, { from, until, width }: Scale): number =>
  until === from ? 0 : ((at - from) / (until - from)) * width

/** Whole times to name on the axis, no closer than so many pixels. */
export function axisTimes(scale: Scale, apart = 90): readonly number[] {
  const ticks = Math.max(1, Math.floor(scale.width / apart))
  const step = steps.find((each) => (scale.until - scale.from) / each <= ticks) ?? steps.at(-1) ?? 1
  const times: number[] = []
  for (let at = Math.ceil(scale.from / step) * step; at <= scale.until; at += step) times.push(at)
  return times
}

/** Marks in the order of their times; of several within so many pixels the first is drawn. */
export function placeMarks(marks: readonly Mark[], scale: Scale, apart = 9): readonly PlacedMark[] {
  const placed: { x: number; count: number; says: string; isCause: boolean }[] = []
  for (const mark of marks.toSorted((a, b) => a.at.localeCompare(b.at))) {
    const x = xOf(Date.parse(mark.at), scale)
    if (x < 0 || x > scale.width) continue
    const last = placed.at(-1)
    if (last && x - last.x < apart) {
      last.count++
      last.isCause ||= mark.isCause
    } else placed.push({ x, count: 1, says: mark.says, isCause: mark.isCause })
  }
  return placed
}

/** From a while before something began until now, or until its end. */
export function scaleOf(since: string, until: string, width: number): Scale {
  const [began, ended] = [Date.parse(since), Date.parse(until)]
  const span = Math.max(ended - began, 600_000)
  return { from: began - span * 0.4, until: ended + span * 0.04, width }
}
