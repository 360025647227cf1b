/** Drives side by side: at the left each to scale with how far it is filled, beside it what lies on it, magnified. */
import type { ReactNode } from 'react'
import { decimalBytesText, countText } from '~/core/units'
import type { DriveColumn } from './drives-layout'
import './drives.css'

const loadWidth = 250
const soleWidth = 560
/** The room for the load of each: a single drive has that of two. */
export const widthOf = (drives: number): number => (drives === 1 ? soleWidth : loadWidth)
export const loadHeight = 230
const casingWidth = 26
const gap = 18
const letterWidth = 7.6

/** A label as far as the box has room for it. */
const labelIn = (text: string, width: number, height: number): string => {
  const letters = Math.floor((width - 8) / letterWidth)
  if (height < 16 || letters < 4) return ''
  return text.length > letters ? `${text.slice(0, letters - 1)}…` : text
}

function Drive({
  width,
  link,
  drive,
  items,
}: {
  readonly width: number
  readonly link: ReactNode
  readonly drive: DriveColumn
  readonly items: readonly string[]
}) {
  const casing = Math.max(30, drive.height * loadHeight)
  const top = loadHeight - casing
  const filled = Math.max(2, drive.filled * casing)
  const left = casingWidth + gap
  const says = `${decimalBytesText(drive.usedBytes)} of ${decimalBytesText(drive.capacity)} in ${countText(drive.count, 'blob')}`
  return (
    <figure>
      <figcaption>
        <b className="mono">{drive.medium}</b> <span className="soft">{says}</span> {link}
      </figcaption>
      <svg
        width={left + width}
        height={loadHeight + 1}
        role="img"
        aria-label={`${drive.medium}: ${says}. ${drive.items
          .map((box) => `${box.item} ${decimalBytesText(box.bytes)}`)
          .join(', ')}.`}
      >
        <rect className="casing" x={0.5} y={top + 0.5} width={casingWidth} height={casing} rx={3} />
        <rect
          className="load"
          x={3}
          y={loadHeight - filled}
          width={casingWidth - 5}
          height={filled - 2}
        />
        <path
          className="magnifies"
          d={`M${casingWidth},${loadHeight - filled} L${left},0 M${casingWidth},${loadHeight} L${left},${loadHeight}`}
        />
        <g transform={`translate(${left},0)`}>
          {drive.items.map((box) => (
            <g key={box.item} className={`item-${items.indexOf(box.item) % 4}`}>
              <title>{`${box.item}: ${decimalBytesText(box.bytes)}`}</title>
              <rect x={box.x} y={box.y} width={box.width} height={box.height} />
              {box.blobs.map((blob) => (
                <rect
                  key={blob.digest}
                  className="blob"
                  x={blob.x}
                  y={blob.y}
                  width={blob.width}
                  height={blob.height}
                >
                  <title>{`${box.item} · ${blob.digest} · ${decimalBytesText(blob.bytes)}`}</title>
                </rect>
              ))}
              <text x={box.x + 4} y={box.y + 13}>
                {labelIn(box.item, box.width, box.height)}
              </text>
            </g>
          ))}
        </g>
      </svg>
    </figure>
  )
}

export function Drives({
  drives,
  items,
  linkTo,
}: {
  readonly drives: readonly DriveColumn[]
  /** All items in their order, so that each keeps its shade from drive to drive. */
  readonly items: readonly string[]
  /** The way to the files of the drive of that number. */
  readonly linkTo?: (drive: number) => ReactNode
}) {
  return (
    <div className="drives">
      {drives.map((drive, nth) => (
        <Drive
          width={widthOf(drives.length)}
          link={linkTo?.(nth + 1)}
          key={`${drive.medium} ${nth}`}
          drive={drive}
          items={items}
        />
      ))}
    </div>
  )
}
