/**
 * What a node keeps back for its own agents, and what is left for pods.
 * The model is data: bands of capacity with the share of each that is reserved, so that a site can carry its own.
 * Integers throughout (shares in ten-thousandths), because the fractions decide the last byte.
 */
import { GiB, MiB } from '../units'

export interface Band {
  /** Width of the band in units (cpu thousandths or bytes); null for "all above". */
  readonly width: number | null
  /** Reserved share of the band, in ten-thousandths. */
  readonly share: number
}

export interface ReservationModel {
  readonly cpu: readonly Band[]
  readonly memory: readonly Band[]
  /** Below this many bytes a flat amount is reserved instead of the bands. */
  readonly smallMemory: { readonly below: number; readonly reserve: number }
  readonly evictionThresholdBytes: number
}

export const defaultReservations: ReservationModel = {
  cpu: [
    { width: 1000, share: 600 },
    { width: 1000, share: 100 },
    { width: 2000, share: 50 },
    { width: null, share: 25 },
  ],
  memory: [
    { width: 4 * GiB, share: 2500 },
    { width: 4 * GiB, share: 2000 },
    { width: 8 * GiB, share: 1000 },
    { width: 112 * GiB, share: 600 },
    { width: null, share: 200 },
  ],
  smallMemory: { below: GiB, reserve: 255 * MiB },
  evictionThresholdBytes: 100 * MiB,
}

export interface Allocatable {
  readonly cpuMilli: number
  readonly memoryBytes: number
  readonly reserved: { readonly cpuMilli: number; readonly memoryBytes: number }
}

/** Reserved part of `capacity`, in ten-thousandths of its unit. */
function reservedTenThousandths(capacity: bigint, bands: readonly Band[]): bigint {
  let left = capacity
  let sum = 0n
  for (const band of bands) {
    const part = band.width === null || left < BigInt(band.width) ? left : BigInt(band.width)
    sum += part * BigInt(band.share)
    left -= part
  }
  return sum
}

const floorLeft = (capacity: bigint, reserved: bigint): bigint => {
  const left = capacity * 10_000n - reserved
  return left <= 0n ? 0n : left / 10_000n
}

/**
 * Allocatable cpu (thousandths) and memory (bytes) of a node of the given capacity; rounded down, never below 0.
 * `reserved` is capacity − allocatable, the eviction threshold included.
 */
export function allocatable(
  cpuMilli: number,
  memoryBytes: number,
  model: ReservationModel = defaultReservations,
): Allocatable {
  const cpu = BigInt(cpuMilli)
  const memory = BigInt(memoryBytes)
  const cpuLeft = floorLeft(cpu, reservedTenThousandths(cpu, model.cpu))
  const banded =
    memoryBytes < model.smallMemory.below
      ? BigInt(model.smallMemory.reserve) * 10_000n
      : reservedTenThousandths(memory, model.memory)
  const memoryLeft = floorLeft(memory, banded + BigInt(model.evictionThresholdBytes) * 10_000n)
  return {
    cpuMilli: Number(cpuLeft),
    memoryBytes: Number(memoryLeft),
    reserved: { cpuMilli: Number(cpu - cpuLeft), memoryBytes: Number(memory - memoryLeft) },
  }
}
