/** A shipment of more images than anybody carries, and the losses of a large store. */
import { seeded } from '../core/units'
import { shipment, type ShipmentOrder } from '../core/shipment'
import { placeReplicas } from '../core/storage'
import { type Figure, measure } from './figure'

const imageCount = 20_000
const layersEach = 8

/** Images of eight layers each, some of which several share: 150,000 layers in all. */
function largeOrder(): ShipmentOrder {
  const random = seeded(4)
  const images = Array.from({ length: imageCount }, (_, nth) => ({
    digest: `sha256:image-${nth}`,
    name: `seed/image-${nth}:1`,
    bytes: 1200,
    layers: Array.from({ length: layersEach }, (__, layer) => {
      const shared = layer === 0 ? nth % 10_000 : nth
      return {
        digest: `sha256:layer-${layer}-${shared}`,
        bytes: 200_000 + ((shared * 7919 + layer * 104_729) % 40_000_000),
      }
    }),
    signed: random() > 0.01,
  }))
  return {
    releases: [{ version: '1.33.2', images: images.map(({ digest }) => digest) }],
    edges: [],
    addOns: [],
    images,
    has: { digests: [] },
    want: { release: '1.33.2' },
    hold: { unsigned: true },
    media: [
      { name: 'drive-64', bytes: 64e9, count: 3 },
      { name: 'drive-512', bytes: 512e9 },
    ],
    link: { bytesPerSecond: 125e6, streamBytesPerSecond: 40e6, parallel: 6 },
  }
}

/** 500 nodes of three disks with 2,000 volumes of three copies. */
function losses(): void {
  placeReplicas({
    nodes: Array.from({ length: 500 }, (_, nth) => ({
      name: `cedar-storage-${nth}`,
      zone: `mossgate-${'abc'.charAt(nth % 3)}`,
      disks: ['sda', 'sdb', 'sdc'].map((name) => ({
        name,
        bytes: 1.2e12,
        scheduledBytes: 0,
        freeBytes: 1e12,
      })),
    })),
    volumes: Array.from({ length: 2000 }, (_, nth) => ({
      name: `volume-${nth}`,
      bytes: 1e10 * (1 + (nth % 20)),
      usedBytes: 4e9 * (1 + (nth % 20)),
      replicas: 3,
      zones: 'required',
    })),
    settings: { plannedPercent: 60, floorPercent: 20 },
    rebuild: { atOnce: 5, bytesPerSecond: 1e8 },
  })
}

export function shipmentFigures(): readonly Figure[] {
  const order = largeOrder()
  return [
    {
      name: 'closure and drives of 20,000 images with 150,000 layers',
      value: measure(3, () => void shipment(order)).median,
      unit: 'ms',
      aim: { atMost: 3000 },
    },
    {
      name: 'losses of 500 nodes with 2,000 volumes',
      value: measure(1, losses).median,
      unit: 'ms',
      aim: { atMost: 5000 },
    },
  ]
}
