import { describe, expect, it } from 'vitest'
import { orderMistake, type ShipmentOrder } from './catalogue'
import { newestOf, replacementChain } from './add-ons'
import { shipment } from './shipment'

const layer = (name: string, bytes: number) => ({ digest: `sha256:layer-${name}`, bytes })
const image = (name: string, layers: readonly { digest: string; bytes: number }[]) => ({
  digest: `sha256:${name}`,
  name: `platform/${name}:1`,
  bytes: 10,
  layers: [...layers],
  signed: true,
})
const shared = layer('shared', 1000)

const order = (changes: Partial<ShipmentOrder> = {}): ShipmentOrder => ({
  releases: [
    { version: '1.31.9', images: ['sha256:old'] },
    { version: '1.32.4', images: ['sha256:step'] },
    { version: '1.33.2', images: ['sha256:new', 'sha256:step'] },
  ],
  edges: [
    { from: '1.31.9', to: '1.32.4' },
    { from: '1.32.4', to: '1.33.2' },
  ],
  addOns: [
    {
      name: 'rainfall',
      channels: [
        {
          name: 'steady',
          versions: [
            { version: '1.0.0', images: ['sha256:rain-0'] },
            { version: '1.1.0', replaces: ['1.0.0'], images: ['sha256:rain-1'] },
            { version: '1.2.0', replaces: ['1.1.0'], images: ['sha256:rain-2'] },
          ],
        },
      ],
    },
  ],
  images: [
    image('old', [shared]),
    image('step', [shared, layer('step', 400)]),
    image('new', [shared, layer('new', 600)]),
    image('rain-0', [layer('rain-0', 50)]),
    image('rain-1', [layer('rain-1', 60)]),
    image('rain-2', [layer('rain-2', 70)]),
  ],
  has: { release: '1.31.9', digests: ['sha256:old', shared.digest] },
  want: { release: '1.33.2', steps: true },
  media: [{ name: 'stick', bytes: 2000 }],
  ...changes,
})

const computed = (changes: Partial<ShipmentOrder> = {}) => {
  const given = order(changes)
  expect(orderMistake(given)).toBeNull()
  const answer = shipment(given)
  if (!answer) throw new Error('nothing was computed')
  return answer
}

describe('a shipment', () => {
  it('carries the steps between and leaves out what the site has', () => {
    const answer = computed()
    expect(answer.releases).toEqual(['1.32.4', '1.33.2'])
    expect(answer.images).toEqual(['sha256:new', 'sha256:step'])
    expect(answer.bytes).toBe(10 + 400 + 10 + 600)
    expect(answer.diskBytes).toBe(Math.ceil(1020 * 1.15))
    expect(answer.drives).toEqual([
      {
        medium: 'stick',
        blobs: ['sha256:layer-new', 'sha256:layer-step', 'sha256:new', 'sha256:step'],
      },
    ])
    expect(answer.problems).toEqual([])
  })

  it('carries the target alone without steps', () => {
    expect(computed({ want: { release: '1.33.2' } }).releases).toEqual(['1.33.2'])
  })

  it('says how far one gets where the way is cut, and computes all else', () => {
    const answer = computed({
      edges: [
        { from: '1.31.9', to: '1.32.4' },
        { from: '1.32.4', to: '1.33.2', withdrawn: 'it lost leases' },
      ],
      want: { release: '1.33.2', steps: true, images: ['sha256:rain-0'] },
    })
    expect(answer.releases).toEqual([])
    expect(answer.problems).toMatchObject([
      {
        nearest: '1.32.4',
        cutBy: [{ from: '1.32.4', to: '1.33.2', reason: 'it lost leases' }],
      },
    ])
    expect(answer.images).toEqual(['sha256:rain-0'])
  })

  it.each([
    ['latest', {}, undefined, ['1.2.0']],
    ['latest', {}, '1.0.0', ['1.1.0', '1.2.0']],
    ['latest', {}, '1.2.0', []],
    ['range', { from: '1.0.5', to: '1.1.9' }, undefined, ['1.1.0']],
    ['range', { from: '1.1.0' }, undefined, ['1.1.0', '1.2.0']],
    ['list', { versions: ['1.2.0', '1.0.0'] }, undefined, ['1.0.0', '1.2.0']],
  ] as const)('picks add-on versions: %s %j with %s', (pick, bounds, installed, versions) => {
    const answer = computed({
      has: { digests: [], ...(installed ? { addOns: { rainfall: installed } } : {}) },
      want: {
        addOns: [
          {
            name: 'rainfall',
            channel: 'steady',
            pick,
            ...bounds,
            ...('versions' in bounds ? { versions: [...bounds.versions] } : {}),
          },
        ],
      } as ShipmentOrder['want'],
    })
    expect(answer.addOns).toEqual([{ name: 'rainfall', versions }])
  })

  it('says that no chain leads from an installed version', () => {
    const answer = computed({
      has: { digests: [], addOns: { rainfall: '0.8.0' } },
      want: { addOns: [{ name: 'rainfall', channel: 'steady', pick: 'latest' }] },
    })
    expect(answer.addOns).toEqual([{ name: 'rainfall', versions: [] }])
    expect(answer.problems).toHaveLength(1)
  })

  it('holds back unsigned images and severe findings, and says what lacks them', () => {
    const images = order().images.map((entry) => {
      if (entry.digest === 'sha256:step') return { ...entry, signed: false }
      return entry.digest === 'sha256:rain-2'
        ? {
            ...entry,
            vulnerabilities: [
              { id: 'FH-2026-0001', severity: 'high' as const },
              { id: 'FH-2026-0002', severity: 'low' as const },
            ],
          }
        : entry
    })
    const answer = computed({
      images,
      want: { release: '1.33.2', steps: true, images: ['sha256:rain-2'] },
      hold: { unsigned: true, severity: 'high' },
    })
    expect(answer.images).toEqual(['sha256:new'])
    expect(answer.held).toEqual([
      {
        digest: 'sha256:rain-2',
        why: 'FH-2026-0001 (high)',
        lack: ['image platform/rain-2:1'],
      },
      { digest: 'sha256:step', why: 'unsigned', lack: ['release 1.32.4', 'release 1.33.2'] },
    ])
  })

  it('takes as long as the link or the longest stream, whichever is later', () => {
    const link = { bytesPerSecond: 1000, streamBytesPerSecond: 100, parallel: 2 }
    // 1020 bytes over the link are 2 s; the longest stream carries 600 bytes, 6 s.
    expect(computed({ link }).seconds).toBe(6)
    expect(computed({ link: { ...link, bytesPerSecond: 100 } }).seconds).toBe(11)
    expect(computed().seconds).toBeNull()
  })

  it('says whether the far end has room, and when the media do not suffice', () => {
    expect(computed({ has: { digests: [], diskFreeBytes: 10 } }).fits).toBe(false)
    const answer = computed({ media: [{ name: 'stick', bytes: 700, count: 1 }] })
    expect(answer.drives).toEqual([])
    expect(answer.problems).toHaveLength(1)
  })

  it.each([
    ['releases[0].images[0]', { images: order().images.slice(1) }],
    ['want.release', { want: { release: '1.35.0' } }],
    [
      'want.release',
      {
        has: { release: '1.33.2', digests: [] },
        want: { release: '1.32.4', steps: true },
      },
    ],
    ['images[6].digest', { images: [...order().images, image('old', [])] }],
    [
      'images[6].layers[0].bytes',
      { images: [...order().images, image('extra', [{ ...shared, bytes: 7 }])] },
    ],
    [
      'want.addOns[0].versions',
      { want: { addOns: [{ name: 'rainfall', channel: 'steady', pick: 'list' as const }] } },
    ],
    [
      'want.addOns[0].channel',
      { want: { addOns: [{ name: 'rainfall', channel: 'early', pick: 'latest' as const }] } },
    ],
    [
      'media[1].name',
      {
        media: [
          { name: 'stick', bytes: 1 },
          { name: 'stick', bytes: 2 },
        ],
      },
    ],
  ] satisfies [string, Partial<ShipmentOrder>][])(
    'refuses what leads nowhere at %s',
    (path, changes) => {
      expect(orderMistake(order(changes))?.path).toBe(path)
    },
  )
})

describe('a chain of replacements', () => {
  const versions = [
    { version: '1.0.0', images: [] },
    { version: '1.1.0', replaces: ['1.0.0'], images: [] },
    { version: '1.1.5', replaces: ['1.0.0', '1.1.5'], images: [] },
    { version: '1.2.0', replaces: ['1.1.0', '1.1.5'], images: [] },
  ]
  it('is the shortest, with the highest versions of equally short ones', () => {
    expect(replacementChain(versions, '1.0.0', '1.2.0')).toEqual(['1.1.5', '1.2.0'])
  })
  it('ends at the version that nothing else replaces', () => {
    expect(newestOf(versions)).toBe('1.2.0')
    expect(
      newestOf([
        { version: '1.0.0', replaces: ['1.1.0'], images: [] },
        { version: '1.1.0', replaces: ['1.0.0'], images: [] },
      ]),
    ).toBeUndefined()
  })
})
