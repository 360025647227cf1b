// @vitest-environment jsdom
import { render, screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import type { Pair } from '~/core/storage'
import type { HopAnswer } from '~/core/wire'
import { AddressStrip, segmentsOf, stripAround } from './address-strip'
import { CauseChain } from './cause-chain'
import { LayerStrip } from './layer-strip'
import { LeavingSketch, type LeavingCall } from './leaving-sketch'
import { PacketRibbon } from './packet-ribbon'
import { PairMatrix } from './pair-matrix'
import { WeekStrip } from './week-strip'
import { parseRange, type Range } from '~/core/addresses'
import { withoutLayout } from '~/app/testing/without-layout'

withoutLayout()

const attributes = (elements: Iterable<Element>, name: string): readonly number[] =>
  [...elements].map((element) => Number(element.getAttribute(name)))

describe('the chain of a cause', () => {
  it('leads from the cause to the symptom, each called by its last name', () => {
    render(
      <CauseChain
        links={[
          { about: 'disk/mossgate/d-1', says: 'is full' },
          { about: 'node/bramble/m-1', says: 'cannot write' },
          { about: 'pod', says: 'waits' },
        ]}
      />,
    )
    const items = within(
      screen.getByRole('list', { name: 'From the cause to the symptom' }),
    ).getAllByRole('listitem')
    expect(items.map((item) => item.textContent)).toEqual([
      'diskd-1is full',
      'nodem-1cannot write',
      'podpodwaits',
    ])
    expect(items.map((item) => item.className)).toEqual(['cause', '', ''])
  })
})

describe('the way of a packet', () => {
  const hop = (name: HopAnswer['hop'], more: Partial<HopAnswer> = {}): HopAnswer => ({
    hop: name,
    code: 'x',
    params: {},
    says: `${name} says`,
    before: { source: '10.0.0.1', destination: '10.96.0.9', port: 80 },
    after: { source: '10.0.0.1', destination: '10.96.0.9', port: 80 },
    by: 'default',
    ...more,
  })

  it('strikes through what a hop rewrote and keeps the rest', () => {
    const { container } = render(
      <PacketRibbon
        hops={[
          hop('firewall-in'),
          hop('service', { after: { source: '10.0.0.1', destination: '10.1.2.3', port: 8080 } }),
        ]}
        open={0}
        onOpen={() => undefined}
      />,
    )
    const [kept, rewritten] = container.querySelectorAll('li')
    expect(kept?.dataset['rewrites']).toBe('false')
    expect(kept?.querySelector('del')).toBeNull()
    expect(rewritten?.dataset['rewrites']).toBe('true')
    expect([...(rewritten?.querySelectorAll('del') ?? [])].map((it) => it.textContent)).toEqual([
      '10.96.0.9:80',
    ])
    expect(rewritten?.textContent).toContain('10.1.2.3:8080')
  })

  it('marks where it is dropped, and names what decided there', () => {
    const { container } = render(
      <PacketRibbon
        hops={[hop('firewall-in', { after: null, by: ['deny-all', 'lamp'] })]}
        open={-1}
        onOpen={() => undefined}
      />,
    )
    expect(container.querySelector('li')?.dataset['dropped']).toBe('true')
    expect(screen.getByText('deny-all, lamp')).toBeTruthy()
  })

  it('opens the hop that is pressed, by its own number', async () => {
    const onOpen = vi.fn()
    render(<PacketRibbon hops={[hop('firewall-in'), hop('service')]} open={0} onOpen={onOpen} />)
    expect(screen.getByRole('button', { name: /^firewall/ }).getAttribute('aria-pressed')).toBe(
      'true',
    )
    await userEvent.click(screen.getByRole('button', { name: /^service/ }))
    expect(onOpen).toHaveBeenCalledWith(1)
  })

  it('of many hops explains only the one that is open', () => {
    const hops = Array.from({ length: 7 }, () => hop('firewall-in'))
    const { container } = render(<PacketRibbon hops={hops} open={3} onOpen={() => undefined} />)
    expect(container.querySelectorAll('.says')).toHaveLength(1)
  })

  it('without a hop says so', () => {
    render(<PacketRibbon hops={[]} open={0} onOpen={() => undefined} />)
    expect(screen.getByText('Nothing stands between them: no hop applies.')).toBeTruthy()
  })
})

describe('node against node', () => {
  const pair = (from: string, to: string, state: Pair['state']): Pair => ({
    from,
    to,
    state,
    sent: state === 'no-link' ? 0 : 9000,
    taken: state === 'good' ? 9000 : 1500,
    says: '',
  })
  const pairs = [
    pair('cedar-store-1', 'cedar-store-2', 'good'),
    pair('cedar-store-2', 'cedar-store-1', 'too-large'),
  ]

  it('leaves out what all names begin with, and says of each pair how it fares', () => {
    render(<PairMatrix pairs={pairs} chosen={null} onChoose={() => undefined} />)
    expect(screen.getAllByRole('columnheader').map((head) => head.textContent)).toEqual([
      'from ↓ to →',
      '1',
      '2',
    ])
    expect(screen.getAllByRole('button').map((cell) => cell.getAttribute('aria-label'))).toEqual([
      'cedar-store-1 to cedar-store-2: reached, 9000 bytes',
      'cedar-store-2 to cedar-store-1: too large, 1500 bytes',
    ])
  })

  it('hands on the pair that is pressed', async () => {
    const onChoose = vi.fn()
    render(<PairMatrix pairs={pairs} chosen={pairs[0] ?? null} onChoose={onChoose} />)
    const [first, second] = screen.getAllByRole('button')
    expect(first?.getAttribute('aria-pressed')).toBe('true')
    second?.focus()
    await userEvent.keyboard('{Enter}')
    expect(onChoose).toHaveBeenCalledWith(pairs[1])
  })
})

describe('a week of rest', () => {
  const never = { mon: [], tue: [], wed: [], thu: [], fri: [], sat: [], sun: [] }

  it('draws each rest where and as long as it is, and the present on its day', () => {
    const { container } = render(
      <WeekStrip
        rests={{
          ...never,
          tue: [
            [0, 6 * 60],
            [22 * 60, 24 * 60],
          ],
        }}
        now={{ day: 'wed', minute: 12 * 60 }}
      />,
    )
    const rests = [...container.querySelectorAll('rect:not(.day)')]
    expect(attributes(rests, 'x')).toEqual([44, 44 + 22 * 26])
    expect(attributes(rests, 'width')).toEqual([6 * 26, 2 * 26])
    const now = container.querySelectorAll('line.now')
    expect(attributes(now, 'x1')).toEqual([44 + 12 * 26])
    expect(now[0]?.parentElement?.textContent).toBe('wed')
  })

  it('is told in words, day by day', () => {
    render(<WeekStrip rests={{ ...never, sat: [[90, 1440]] }} now={null} />)
    const label = screen.getByRole('img').getAttribute('aria-label') ?? ''
    expect(label).toContain('sat 01:30 to 24:00')
    expect(label).toContain('mon not at all')
  })
})

describe('the layers of an image', () => {
  const layer = (bytes: number, shared: number) => ({
    digest: `sha256:${bytes}${shared}`,
    bytes,
    shared,
  })

  it('are drawn to scale beside each other, never beyond the drawing', () => {
    const { container } = render(
      <LayerStrip layers={[layer(9_000_000, 2), layer(3_000_000, 0), layer(10, 0)]} />,
    )
    const rects = [...container.querySelectorAll('rect')]
    const x = attributes(rects, 'x')
    const width = attributes(rects, 'width')
    expect(rects.map((rect) => rect.getAttribute('class'))).toEqual(['shared', 'own', 'own'])
    expect((width[0] ?? 0) / (width[1] ?? 1)).toBeCloseTo(3, 0)
    expect((x[2] ?? 0) + (width[2] ?? 0)).toBeLessThanOrEqual(300)
    expect(x[1]).toBeGreaterThanOrEqual((x[0] ?? 0) + (width[0] ?? 0))
  })

  it('are summed up by what is shared', () => {
    render(<LayerStrip layers={[layer(9_000_000, 1), layer(3_000_000, 0)]} />)
    expect(screen.getByRole('img').getAttribute('aria-label')).toBe(
      '9 MB of 12 MB shared with other images',
    )
    expect(screen.getByText(/in 1 other image$/)).toBeTruthy()
  })

  it('of an empty image are not drawn', () => {
    expect(render(<LayerStrip layers={[layer(0, 0)]} />).container.innerHTML).toBe('')
  })
})

describe('who leaves as whom', () => {
  const call = (i: number, perSecond = 1): LeavingCall => ({
    from: `market/desk-${i}`,
    to: 'prices.example',
    port: 443,
    source: '203.0.113.9',
    perSecond,
  })

  it('names each address once, however many leave as it', () => {
    const { container } = render(<LeavingSketch calls={[call(1), call(2), call(3)]} />)
    expect(container.querySelectorAll('rect')).toHaveLength(1)
    expect(screen.getAllByText('203.0.113.9')).toHaveLength(1)
    expect(screen.getAllByText('prices.example:443')).toHaveLength(1)
    expect(container.querySelectorAll('svg > g[stroke-width]')).toHaveLength(3)
  })

  it('draws what is busier thicker', () => {
    const { container } = render(<LeavingSketch calls={[call(1, 100), call(2, 1)]} />)
    const [busy, calm] = attributes(container.querySelectorAll('g[stroke-width]'), 'stroke-width')
    expect(busy).toBe(5)
    expect(calm).toBeCloseTo(1.4)
  })

  it('of many calls shows the busiest and says so', () => {
    render(<LeavingSketch calls={Array.from({ length: 20 }, (_, i) => call(i, i + 1))} />)
    expect(screen.getByText(/the 12 busiest of 20$/)).toBeTruthy()
    const label = screen.getByRole('img').getAttribute('aria-label') ?? ''
    expect(label).toContain('market/desk-19 reaches prices.example:443 as 203.0.113.9')
    expect(label).not.toContain('market/desk-7 ')
  })

  it('says so where nobody leaves', () => {
    render(<LeavingSketch calls={[]} />)
    expect(screen.getByText(/No call leaves the site now/)).toBeTruthy()
  })
})

describe('ranges to scale', () => {
  const range = (text: string): Range => {
    const read = parseRange(text)
    if (!read.ok) throw new Error(read.says)
    return read.value
  }

  it('lie where their addresses lie', () => {
    const [half, quarter] = segmentsOf(range('10.0.0.0/24'), [
      { name: 'half', range: '10.0.0.128/25' },
      { name: 'quarter', range: '10.0.0.0/26' },
    ])
    expect([half?.start, half?.end]).toEqual([0.5, 1])
    expect([quarter?.start, quarter?.end]).toEqual([0, 0.25])
    expect([half?.collides, quarter?.collides]).toEqual([false, false])
  })

  it('collide with what overlaps them, unless they lie inside on purpose', () => {
    const segments = segmentsOf(range('10.0.0.0/24'), [
      { name: 'a', range: '10.0.0.0/25' },
      { name: 'b', range: '10.0.0.64/26' },
      { name: 'c', range: '10.0.0.192/26' },
      { name: 'inner', range: '10.0.0.0/28', inner: true },
    ])
    expect(segments.map(({ holder, collides }) => [holder.name, collides])).toEqual([
      ['a', true],
      ['b', true],
      ['c', false],
      ['inner', false],
    ])
  })

  it('are cut to what is shown, and left out beyond it', () => {
    const segments = segmentsOf(range('10.0.0.0/24'), [
      { name: 'wide', range: '10.0.0.0/16' },
      { name: 'elsewhere', range: '10.9.0.0/24' },
      { name: 'unreadable', range: 'nonsense' },
    ])
    expect(segments.map(({ holder, start, end }) => [holder.name, start, end])).toEqual([
      ['wide', 0, 1],
    ])
  })

  it('of both families can be drawn', () => {
    const [part] = segmentsOf(range('fd00::/8'), [{ name: 'six', range: 'fd80::/9' }])
    expect([part?.start, part?.end]).toEqual([0.5, 1])
  })

  it('are told in words, and what is one’s own is named first', () => {
    render(
      <AddressStrip
        label="10.0.0.0/24"
        range="10.0.0.0/24"
        holders={[
          ...Array.from({ length: 12 }, (_, i) => ({
            name: `n-${i}`,
            range: `10.0.0.${i * 16}/28`,
          })),
          { name: 'carved', range: '10.0.0.240/28', mine: true },
        ]}
      />,
    )
    expect(screen.getByRole('img').getAttribute('aria-label')).toContain('carved 10.0.0.240/28')
    const names = document.querySelectorAll('figcaption > span')
    expect(names[0]?.textContent).toContain('carved')
    expect(names[names.length - 1]?.textContent).toBe('and 4 more, named where they are pointed at')
  })

  it('say why a range cannot be drawn', () => {
    const { container } = render(<AddressStrip label="x" range="10.0.0.0/99" holders={[]} />)
    expect(container.querySelector('svg')).toBeNull()
    expect(container.textContent).not.toBe('')
  })

  it('are drawn in the smallest block around them that is wide enough', () => {
    expect(stripAround(['10.20.0.0/24', '10.20.3.0/24'], 8)).toBe('10.0.0.0/8')
    expect(stripAround(['10.20.0.0/24', '10.20.3.0/24'], 30)).toBe('10.20.0.0/22')
    expect(stripAround([], 8)).toBe('10.0.0.0/8')
  })
})
