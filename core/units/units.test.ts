import { describe, expect, it } from 'vitest'
import {
  countText,
  bytesText,
  compareReleases,
  durationText,
  listText,
  minorsBehind,
  moneyText,
  numberText,
  parseBytes,
  parseCpuMilli,
} from '.'

describe('quantities', () => {
  it.each([
    ['500m', 500],
    ['2', 2000],
    ['0.1', 100],
    ['1.0005', 1001],
    ['100u', 1],
    ['1e3', 1_000_000],
    ['.5', 500],
    ['+1', 1000],
  ])('%s cpu is %i m', (text, milli) =>
    expect(parseCpuMilli(text)).toEqual({ ok: true, value: milli }),
  )

  it.each([
    ['16Gi', 17_179_869_184],
    ['1G', 1_000_000_000],
    ['1.5Ki', 1536],
    ['0.5', 1],
    ['1E', null],
    ['128974848', 128_974_848],
    ['1e3', 1000],
    ['400m', 1],
  ])('%s memory is %s bytes', (text, bytes) => {
    const read = parseBytes(text)
    expect(read.ok ? read.value : null).toBe(bytes)
  })

  it.each(['', 'm', '1 Gi', '-1', '1Gib', 'NaN', '1e', '--1', '1.2.3', '1e999', '٣', '0x10'])(
    '%j is refused with a reason',
    (text) => {
      const read = parseBytes(text)
      expect(read.ok).toBe(false)
      expect(!read.ok && read.says).toMatch(/[.]$/)
    },
  )
})

describe('texts for people', () => {
  it('count by the number that is read, in the form that goes with it', () => {
    const texts = [0, 0.4, 0.6, 1, 1.4, 1.6, 2400].map((count) => countText(count, 'call'))
    expect(texts).toEqual([
      '0 calls',
      '0 calls',
      '1 call',
      '1 call',
      '1 call',
      '2 calls',
      '2,400 calls',
    ])
  })

  it.each([
    [45, '45 s'],
    [90, '1 min 30 s'],
    [600, '10 min'],
    [8000, '2 h 13 min'],
    [86_400 * 3, '3 days'],
    [-4, '0 s'],
  ])('%i seconds are %s', (seconds, text) => expect(durationText(seconds)).toBe(text))

  it('carry units and set thousands apart', () => {
    expect(bytesText(14_283_282_841)).toBe('13.3 GiB')
    expect(numberText(1234567.5, 1)).toBe('1,234,567.5')
    expect(numberText(-0.001, 1)).toBe('0')
    expect(moneyText(0.0139)).toBe('0.014')
    expect(listText(['a', 'b', 'c'])).toBe('a, b and c')
    expect(listText(['a', 'b', 'c'], 2)).toBe('a, b and 1 more')
  })
})

describe('releases', () => {
  it('compare as numbers, not as text', () => {
    expect(['1.9.0', '1.33.2', '1.33.10'].sort(compareReleases)).toEqual([
      '1.9.0',
      '1.33.2',
      '1.33.10',
    ])
    expect(minorsBehind('1.33.2', '1.30.0')).toBe(3)
    expect(minorsBehind('1.33.2', '1.34.0')).toBe(-1)
  })
})
