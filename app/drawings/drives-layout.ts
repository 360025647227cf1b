/** Drives to scale, and the load of each magnified: one area an item, its blobs in it by their bytes. */
import { hierarchy, treemap } from 'd3-hierarchy'

export interface LoadedDrive {
  readonly medium: string
  readonly capacity: number
  readonly blobs: readonly {
    readonly digest: string
    readonly bytes: number
    readonly item: string
  }[]
}

export interface BlobBox {
  readonly digest: string
  readonly bytes: number
  readonly x: number
  readonly y: number
  readonly width: number
  readonly height: number
}

export interface ItemBox extends Omit<BlobBox, 'digest'> {
  readonly item: string
  readonly blobs: readonly BlobBox[]
}

export interface DriveColumn {
  readonly medium: string
  readonly capacity: number
  readonly usedBytes: number
  readonly count: number
  /** Part of the tallest column. */
  readonly height: number
  /** Part of the drive that is filled. */
  readonly filled: number
  readonly items: readonly ItemBox[]
}

interface Knot {
  readonly name: string
  readonly bytes: number
  readonly children?: readonly Knot[]
}

/** Boxes smaller than this are not drawn one by one: their item is. */
const smallest = 1.5

function itemBoxes(blobs: LoadedDrive['blobs'], width: number, height: number): readonly ItemBox[] {
  const byItem = new Map<string, Knot[]>()
  for (const { item, digest, bytes } of blobs)
    byItem.set(item, [...(byItem.get(item) ?? []), { name: digest, bytes }])
  const root = hierarchy<Knot>(
    {
      name: '',
      bytes: 0,
      children: [...byItem].map(([name, children]) => ({ name, bytes: 0, children })),
    },
    (knot) => knot.children,
  )
    .sum((knot) => knot.bytes)
    .sort((a, b) => (b.value ?? 0) - (a.value ?? 0))
  const laid = treemap<Knot>().size([width, height]).paddingInner(1).paddingTop(0)(root)
  return (laid.children ?? []).map((item) => ({
    item: item.data.name,
    bytes: item.value ?? 0,
    x: item.x0,
    y: item.y0,
    width: item.x1 - item.x0,
    height: item.y1 - item.y0,
    blobs: (item.children ?? []).flatMap((blob) =>
      blob.x1 - blob.x0 < smallest || blob.y1 - blob.y0 < smallest
        ? []
        : {
            digest: blob.data.name,
            bytes: blob.data.bytes,
            x: blob.x0,
            y: blob.y0,
            width: blob.x1 - blob.x0,
            height: blob.y1 - blob.y0,
          },
    ),
  }))
}

/** One column a drive; heights go by capacity, and every load is magnified to `width` × `height`. */
export function driveColumns(
  drives: readonly LoadedDrive[],
  width: number,
  height: number,
): readonly DriveColumn[] {
  const tallest = Math.max(1, ...drives.map((drive) => drive.capacity))
  return drives.map(({ medium, capacity, blobs }) => {
    const usedBytes = blobs.reduce((sum, blob) => sum + blob.bytes, 0)
    return {
      medium,
      capacity,
      usedBytes,
      count: blobs.length,
      height: capacity / tallest,
      filled: usedBytes / capacity,
      items: itemBoxes(blobs, width, height),
    }
  })
}
