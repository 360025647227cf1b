/** The layers of an image side by side, to scale; what other images are made of too is drawn hollow. */
import { countText, decimalBytesText } from '~/core/units'
import './layer-strip.css'

export interface StripLayer {
  readonly digest: string
  readonly bytes: number
  /** How many other images have it too. */
  readonly shared: number
}

const width = 300
const height = 14
const leastWidth = 3

export function LayerStrip({ layers }: { readonly layers: readonly StripLayer[] }) {
  const total = layers.reduce((sum, { bytes }) => sum + bytes, 0)
  if (total === 0) return null
  const room = width - leastWidth * layers.length
  const widths = layers.map(({ bytes }) => leastWidth + (room * bytes) / total)
  const shared = layers.filter((layer) => layer.shared > 0)
  const sharedBytes = shared.reduce((sum, { bytes }) => sum + bytes, 0)
  const says = `${decimalBytesText(sharedBytes)} of ${decimalBytesText(total)} shared with other images`
  return (
    <figure className="layer-strip">
      <svg width={width} height={height} role="img" aria-label={says}>
        {layers.map((layer, nth) => {
          const x = widths.slice(0, nth).reduce((sum, each) => sum + each, 0)
          return (
            <rect
              key={`${layer.digest} ${nth}`}
              className={layer.shared > 0 ? 'shared' : 'own'}
              x={x + 0.5}
              y={0.5}
              width={Math.max(1, (widths[nth] ?? 0) - 2)}
              height={height - 1}
            >
              <title>{`${layer.digest.slice(0, 19)} · ${decimalBytesText(layer.bytes)} · ${
                layer.shared === 0
                  ? 'of this image alone'
                  : `in ${countText(layer.shared, 'other image')}`
              }`}</title>
            </rect>
          )
        })}
      </svg>
      <figcaption className="soft">{says}</figcaption>
    </figure>
  )
}
