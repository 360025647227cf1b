import { describe, expect, it } from 'vitest'
import { bareSite, type SiteView } from '../fleet'
import { GiB } from '../units'
import { machineHourly, siteSpend } from '.'

const empty: SiteView = {
  ...bareSite('s', 'cloud', 'd'),
  zones: ['a'],
  sizes: [
    {
      name: 'post-4-16',
      cores: 4,
      memoryBytes: 16 * GiB,
      diskGb: 0,
      zones: ['a'],
      soldOut: [],
      hourly: 0.168,
    },
  ],
  images: [],
  hosts: [],
  boxes: [],
  machines: [],
  addresses: [],
  disks: [],
  managedTiers: [{ tier: 'assured', availability: null, hourly: 0.12 }],
  controlPlanes: [],
  prices: {
    diskGbMonth: 0.085,
    kwh: 0.31,
    hostMonth: 5200 / 48,
    spotShare: 0.31,
    balancerHour: 0.027,
  },
}
const machine = (lifetime: 'on-demand' | 'spot') => ({
  name: lifetime,
  zone: 'a',
  host: null,
  size: 'post-4-16',
  cores: 4,
  memoryBytes: 16 * GiB,
  diskGb: 30,
  lifetime,
  power: 'on' as const,
  address: null,
  cluster: 'c',
})

describe('a cloud', () => {
  it('charges machines by the hour, spot ones at their share', () => {
    expect(machineHourly(empty, machine('on-demand'))).toBe(0.168)
    expect(machineHourly(empty, machine('spot'))).toBeCloseTo(0.168 * 0.31)
  })

  it('charges tiers and disks for a month of 730 hours', () => {
    const spend = siteSpend({
      ...empty,
      machines: [machine('on-demand')],
      disks: [{ name: 'd', sizeGb: 30, machine: null, cluster: null }],
      controlPlanes: [{ cluster: 'c', tier: 'assured', release: '', address: '' }],
    })
    expect(spend.perMonth).toBeCloseTo(730 * (0.168 + 0.12) + 30 * 0.085)
    expect([spend.power, spend.writeOff]).toEqual([0, 0])
  })
})

describe('a hall', () => {
  const host = (name: string) => ({
    name,
    zone: 'a',
    cores: 32,
    memoryBytes: 256 * GiB,
    diskGb: 4000,
    idleWatts: 140,
    fullWatts: 380,
  })
  const hall: SiteView = {
    ...empty,
    kind: 'hall',
    overcommit: 1.5,
    sizes: [
      {
        name: 'rack-4',
        cores: 4,
        memoryBytes: 16 * GiB,
        diskGb: 60,
        zones: ['a'],
        soldOut: [],
        hourly: null,
      },
    ],
    hosts: [host('h-1'), host('h-2')],
  }

  it('draws idle power and is written off, even when empty', () => {
    expect(siteSpend(hall).power).toBeCloseTo(2 * 0.14 * 0.31 * 730)
    expect(siteSpend(hall).writeOff).toBeCloseTo((2 * 5200) / 48)
  })

  it('draws more by the cores of its machines over its overcommitted cores', () => {
    const placed = { ...machine('on-demand'), size: 'rack-4', host: 'h-1' }
    expect(siteSpend({ ...hall, machines: [placed] }).power - siteSpend(hall).power).toBeCloseTo(
      (((380 - 140) * 4) / (32 * 1.5) / 1000) * 0.31 * 730,
    )
  })
})
