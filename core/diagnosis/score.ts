/** What a drill is worth to whoever did it: 100, less what was slow, helped, guessed wrong or done for nothing. */

export interface DrillFacts {
  /** Whether the symptom has gone by what was done. */
  readonly isMended: boolean
  /** Minutes of the clock until the right cause was named; null where it never was. */
  readonly minutesToCause: number | null
  readonly hints: number
  readonly wrongCauses: number
  /** Looks that somebody asked for. */
  readonly probes: number
  /** Changes that were run and were no remedy of the case. */
  readonly harm: number
}

const cost = {
  minute: 1,
  mostForTime: 30,
  hint: 10,
  wrong: 10,
  probe: 2,
  harm: 15,
  unnamed: 40,
} as const

/** 0 to 100; nothing for what was not mended. */
export function drillScore({
  isMended,
  minutesToCause,
  hints,
  wrongCauses,
  probes,
  harm,
}: DrillFacts): number {
  if (!isMended) return 0
  const time =
    minutesToCause === null
      ? cost.unnamed
      : Math.min(cost.mostForTime, Math.floor(minutesToCause) * cost.minute)
  const spent =
    hints * cost.hint + wrongCauses * cost.wrong + probes * cost.probe + harm * cost.harm
  return Math.max(0, 100 - time - spent)
}
