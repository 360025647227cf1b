/** A whole Gyrarch for tests: in this thread, in a folder of its own, with a clock that only tests move. */
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, afterEach, beforeAll, beforeEach } from 'vitest'
import type { FleetView } from '~/core/fleet'
import { Gyrarch } from '../gyrarch'
import { inThisThread } from '../connectors/standin/engine-link'
import type { ChangeRecord } from '../changes/changes'

export interface Opened {
  readonly gyrarch: Gyrarch
  readonly dir: string
  close(): Promise<void>
}

export async function openForTest(given?: string): Promise<Opened> {
  const dir = given ?? mkdtempSync(join(tmpdir(), 'gyrarch-test-'))
  const errors: unknown[] = []
  const gyrarch = await Gyrarch.open({
    dir,
    link: inThisThread(),
    clockRuns: false,
    onError: (error) => void errors.push(error),
  })
  return {
    gyrarch,
    dir,
    close: async () => {
      await gyrarch.close()
      rmSync(dir, { recursive: true, force: true })
      if (errors.length > 0) throw errors[0]
    },
  }
}

/** A Gyrarch of its own for each test of a file, handed over before it and closed after it. */
export function gyrarchForEach(take: (opened: Opened) => void): void {
  let opened: Opened
  beforeEach(async () => {
    opened = await openForTest()
    take(opened)
  })
  afterEach(() => opened.close())
}

/** One Gyrarch for all tests of a file, with the fleet as the demo begins. */
export function gyrarchForAll(take: (opened: Opened, view: FleetView) => void): void {
  let opened: Opened
  beforeAll(async () => {
    opened = await openForTest()
    take(opened, await opened.gyrarch.fleet.view())
  })
  afterAll(() => opened.close())
}

/** Moves the clock until the change has ended or halted, at most `hours` of it. */
export async function runOut(gyrarch: Gyrarch, id: string, hours = 3): Promise<ChangeRecord> {
  for (let minutes = 0; minutes < hours * 60; minutes++) {
    const change = await gyrarch.changes.get(id)
    if (change.state !== 'running' && change.state !== 'undoing' && change.state !== 'waiting')
      return change
    await gyrarch.outside.advance(60)
  }
  return gyrarch.changes.get(id)
}

export const elm = {
  name: 'elm-12',
  site: 'glasshouse-12',
  release: '1.33.2',
  controlPlane: { kind: 'own', count: 1, alsoWorkers: true },
  pools: [],
  ranges: { pods: '10.130.0.0/18', services: '10.131.0.0/20', maxPodsPerNode: 110 },
  machines: [
    {
      machine: 'gh12-box',
      roles: ['control-plane', 'worker'],
      nodeName: 'elm-12-a',
      disk: '/dev/disk/by-id/ata-FIR_480_A1',
      card: 'enp1s0',
      address: '10.77.12.8/26',
    },
  ],
}

export const fernlet = {
  name: 'fernlet',
  site: 'tarn-north',
  release: '1.33.2',
  controlPlane: { kind: 'managed', tier: 'plain' },
  pools: [{ name: 'general', size: 'reed-2-8', count: 2 }],
  ranges: { pods: '10.132.0.0/18', services: '10.133.0.0/20', maxPodsPerNode: 110 },
}

export const birch = {
  name: 'birch',
  site: 'mossgate',
  release: '1.33.2',
  controlPlane: { kind: 'own', count: 3 },
  pools: [{ name: 'general', size: 'rack-4', count: 2 }],
  ranges: { pods: '10.134.0.0/18', services: '10.135.0.0/20', maxPodsPerNode: 110 },
}

/** Raised from the three machines that stand in the hall's racks. */
export const oak = {
  name: 'oak',
  site: 'mossgate',
  release: '1.33.2',
  controlPlane: { kind: 'own', count: 3, alsoWorkers: true },
  pools: [],
  ranges: { pods: '10.136.0.0/18', services: '10.137.0.0/20', maxPodsPerNode: 110 },
  machines: ['a', 'b', 'c'].map((letter, i) => ({
    machine: `m-spare-${i + 1}`,
    roles: ['control-plane', 'worker'],
    nodeName: `oak-${letter}`,
    card: 'eno2',
  })),
}
