import { describe, expect, it } from 'vitest'
import { quoted, saidOf, sentences } from './said'

const said = sentences({
  'disk.small': (p: { disk: string; sizeGb: number }) => `${p.disk} has ${p.sizeGb} GB.`,
  'disk.none': () => 'There is no disk.',
})

describe('what is said', () => {
  it('keeps its code and parameters beside the sentence', () =>
    expect(said('disk.small', { disk: 'sda', sizeGb: 8 })).toEqual({
      code: 'disk.small',
      params: { disk: 'sda', sizeGb: 8 },
      says: 'sda has 8 GB.',
    }))

  it('has no parameters where its sentence takes none', () =>
    expect(said('disk.none')).toEqual({
      code: 'disk.none',
      params: {},
      says: 'There is no disk.',
    }))

  it('is all that is taken of something that carries more', () =>
    expect(saidOf({ ...said('disk.none'), level: 'stop' } as ReturnType<typeof said>)).toEqual(
      said('disk.none'),
    ))

  it('quotes the words of somebody outside as they are', () =>
    expect(quoted('console', 'read error')).toEqual({
      code: 'console',
      params: { text: 'read error' },
      says: 'read error',
    }))
})
