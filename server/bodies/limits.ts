/** What is taken of anybody, stated once. */
const MiB = 1024 ** 2

/** A body is unpacked up to here unless its route says more. */
export const ordinaryBytes = 8 * MiB
/** What one process for heavy work may hold, for certain. */
export const processBytes = 2048 * MiB

export interface JsonLimits {
  /** Arrays and objects within one another. */
  readonly depth: number
  /** Values and members in all. */
  readonly values: number
}

/** Read beside everything else the server does: few enough for that. */
export const ordinaryJson: JsonLimits = { depth: 64, values: 400_000 }
/** Read in a process of its own. */
export const largeJson: JsonLimits = { depth: 128, values: 40_000_000 }

export const mib = (bytes: number): string => `${bytes / MiB} MiB`
