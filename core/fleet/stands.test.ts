import { expect, it } from 'vitest'
import { bareSite } from './bare'
import { stands } from './stands'
import type { FleetView } from './view'

const view: FleetView = {
  version: 1,
  now: '2026-03-02T06:00:00Z',
  sites: [
    {
      ...bareSite('mossgate', 'hall', 'fernhollow'),
      disks: [{ name: 'birch-1-root', sizeGb: 60, machine: 'birch-1', cluster: 'birch' }],
      published: [{ name: 'birch-1.yaml', bytes: 9, digest: 'ab', cluster: 'birch' }],
    },
  ],
  clusters: [],
  ledger: [],
  catalogue: [],
  sshKeys: [],
  sshPublic: {},
  credentials: [],
  reservations: [],
  unheard: {},
  workedOn: [],
}

it.each([
  ['site/mossgate', true],
  ['site/nowhere', false],
  ['disk/mossgate/birch-1-root', true],
  ['disk/mossgate/birch-2-root', false],
  ['machine/mossgate/birch-1', false],
  ['boot-data/mossgate/birch-1.yaml', true],
  ['cluster/birch', false],
  ['node/birch/birch-1', false],
  ['firewall-rule/mossgate/uplink', undefined],
])('%s: %s', (about, expected) => expect(stands(view, about)).toBe(expected))
