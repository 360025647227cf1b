/** One route of the JSON API: what it takes, what it answers. */
import type { Readable } from 'node:stream'
import { z } from 'zod'
import type { FleetPictures } from '../fleet/pictures'
import type { Gyrarch } from '../gyrarch'

export interface Route {
  readonly method: 'get' | 'post' | 'patch' | 'delete'
  readonly path: string
  readonly says: string
  readonly query?: z.ZodType
  /** Under `/changes/:id/` an absent body reads as `{}`. */
  readonly body?: z.ZodType
  /** What it answers as JSON, to the last field; absent where it answers text alone. */
  readonly answer?: z.ZodType
  /** Media types of what it answers as text. */
  readonly texts?: readonly string[]
  readonly status?: number
  /** Takes its body as it is, a `Body` of up to so many bytes, and reads it itself. */
  readonly rawUpTo?: number
  /** Reads its body itself as it comes, whatever its size: `call.stream`. */
  readonly streams?: boolean
  /** Takes its body as the text it is: a manifest in YAML or JSON. */
  readonly manifest?: boolean
  /** Takes its body as YAML too, where its media type says so. */
  readonly yaml?: boolean
  /** Shows the state of the fleet: with `?at=` as it was then. */
  readonly past?: boolean
  readonly handle: (gyrarch: Gyrarch, call: Call) => Promise<Answer>
}

export interface Call {
  /** The fleet as it is; of a route that shows the past, as it was at `?at=`. */
  readonly fleet: FleetPictures
  readonly params: Readonly<Record<string, string>>
  readonly query: Readonly<Record<string, unknown>>
  readonly body: unknown
  /** The body as it comes, for routes that read it so. */
  readonly stream: Readable
  readonly ifMatch: string | undefined
  readonly signal: AbortSignal
  /** Where Gyrarch was reached, for addresses that others are given. */
  readonly base: string
}

/** Text to be answered, or the file that holds it, which goes with the answer. */
export type Text = {
  readonly type: string
  readonly fileName?: string
} & (
  | { readonly body: string | Buffer; readonly file?: undefined }
  | { readonly file: string; readonly body?: undefined }
)

export interface Answer {
  readonly status?: number
  readonly json?: unknown
  readonly text?: Text
  readonly etag?: string
}

/** When it is asked about; absent for now. */
export const atQuery = z.object({ at: z.iso.datetime({ offset: true }).optional() })
