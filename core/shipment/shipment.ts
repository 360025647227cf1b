/**
 * A shipment: what a disconnected site needs to run what it should, how large that is, how long it takes, and on which
 * drives it travels.
 */
import { longestLane, secondsFor } from '../sizing'
import type { ShipmentOrder } from './catalogue'
import { type Blob, type Closure, closureOf, type Problem } from './closure'
import { type Drive, pack } from './packing'

export interface Shipment extends Closure {
  readonly bytes: number
  /** Room needed at the far end: the bytes and 15 % more, rounded up. */
  readonly diskBytes: number
  readonly fits: boolean
  /** Null without a link to measure by. */
  readonly seconds: number | null
  readonly drives: readonly Drive[]
  readonly lowerBound: number
  readonly unfit: readonly string[]
}

/** The later of all bytes over the link and the longest of the parallel streams, blobs handed out longest first. */
export function secondsOver(link: ShipmentOrder['link'], blobs: readonly Blob[], bytes: number) {
  if (!link) return null
  const longestStream = longestLane(
    blobs.map((blob) => blob.bytes),
    link.parallel,
  )
  return Math.max(
    secondsFor(bytes, link.bytesPerSecond),
    secondsFor(longestStream, link.streamBytesPerSecond),
  )
}

/** Said of an order whose media do not suffice. */
export const mediaFallShort: Problem = {
  says: 'The media at hand do not hold all of it. Add one, or ask for less.',
}

/** The shipment of an order without mistakes (`orderMistake`); null where its bytes are too many to be counted exactly. */
export function shipment(order: ShipmentOrder): Shipment | null {
  const closure = closureOf(order)
  const total = closure.blobs.reduce((sum, blob) => sum + BigInt(blob.bytes), 0n)
  const onDisk = (total * 115n + 99n) / 100n
  if (onDisk > BigInt(Number.MAX_SAFE_INTEGER)) return null
  const bytes = Number(total)
  const diskBytes = Number(onDisk)
  const packing = pack(closure.blobs, order.media)
  return {
    ...closure,
    bytes,
    diskBytes,
    fits: order.has.diskFreeBytes === undefined || diskBytes <= order.has.diskFreeBytes,
    seconds: secondsOver(order.link, closure.blobs, bytes),
    drives: packing.drives,
    lowerBound: packing.lowerBound,
    unfit: packing.unfit,
    problems: packing.suffices ? closure.problems : [...closure.problems, mediaFallShort],
  }
}
