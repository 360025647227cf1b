import { expect, it } from 'vitest'
import { bareFleet } from '../testing/bare'
import { bareSite } from './bare'
import { stands } from './stands'

const view = bareFleet({
  sites: [
    {
      ...bareSite('mossgate', 'hall', 'fernhollow'),
      disks: [{ name: 'birch-1-root', sizeGb: 60, machine: 'birch-1', cluster: 'birch' }],
      published: [{ name: 'birch-1.yaml', bytes: 9, digest: 'ab', cluster: 'birch' }],
    },
  ],
})

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
