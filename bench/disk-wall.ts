/** The disk wall of a large store, laid out and drawn. */
import { createElement } from 'react'
import { renderToStaticMarkup } from 'react-dom/server'
import { DiskWall } from '../app/drawings/disk-wall'
import type { StorageReport } from '../core/contract'
import { type Figure, measure } from './figure'

const nodes = 500
const volumes = 1000
const copies = 3

/** 500 nodes of one disk each, with 1,000 volumes of three copies. */
function largeStorage(): StorageReport {
  const nodeOf = (nth: number): string => `cedar-storage-${nth % nodes}`
  return {
    addOn: 'root-cellar',
    plannedPercent: 100,
    floorPercent: 20,
    rebuild: { atOnce: 2, bytesPerSecond: 9e7 },
    port: 9503,
    attachLimit: 16,
    network: 'mossgate nodes',
    networks: [],
    listens: [],
    classes: [],
    disks: Array.from({ length: nodes }, (_, nth) => ({
      node: nodeOf(nth),
      zone: `mossgate-${'abc'.charAt(nth % 3)}`,
      name: 'bay-1',
      bytes: 1.2e12,
      freeBytes: 6e11,
      state: 'ready' as const,
    })),
    volumes: Array.from({ length: volumes }, (_, nth) => ({
      name: `volume-${nth}`,
      claim: null,
      class: 'cellar-three',
      bytes: 1e11,
      usedBytes: 5e10,
      copies,
      zones: 'required' as const,
      replicas: Array.from({ length: copies }, (__, copy) => ({
        node: nodeOf(nth * copies + copy),
        disk: 'bay-1',
        state: 'whole' as const,
        reason: '',
        since: '2026-03-02T06:00:00Z',
        from: null,
        until: null,
        slowness: 1,
      })),
      attached: [],
      samples: [],
      snapshots: [],
    })),
  }
}

export function diskWallFigures(): readonly Figure[] {
  const storage = largeStorage()
  const draw = (): void =>
    void renderToStaticMarkup(
      createElement(DiskWall, {
        storage,
        height: 470,
        volume: 'volume-7',
        gone: new Set(['cedar-storage-1/bay-1']),
        lost: new Set<string>(),
        degraded: new Set(['volume-0']),
        onVolume: () => undefined,
      }),
    )
  return [
    {
      name: 'disk wall of 500 nodes with 3,000 copies, laid and drawn',
      value: measure(5, draw).median,
      unit: 'ms',
      aim: { atMost: 100 },
    },
  ]
}
