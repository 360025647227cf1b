import Papa from 'papaparse'
import { describe, expect, it } from 'vitest'
import { unguarded, writeCsv } from './csv'

const texts = [
  'plain',
  'a "quote"',
  'a, comma',
  'two\nlines',
  '=1+1',
  '+1',
  '-x',
  '@sum',
  '\ttab',
  "'kept",
  '',
]

describe('CSV', () => {
  it('is read back as it was, whatever the text', () => {
    const text = writeCsv(
      ['name', 'count'],
      texts.map((cell, i) => [cell, -i]),
    )
    const [heading, ...rows] = Papa.parse<string[]>(text).data
    expect(heading).toEqual(['name', 'count'])
    expect(rows.map(([cell = '']) => unguarded(cell))).toEqual(texts)
  })
  it('gives a spreadsheet nothing to compute, and leaves numbers alone', () => {
    expect(writeCsv(['a', 'b'], [['=cmd()', -5]])).toBe('a,b\r\n"\'=cmd()",-5')
  })
})
