/**
 * An ISO 9660 image of a few small files, with Joliet names, labelled as cloud-init looks for it (CIDATA).
 * Source: ECMA-119 and the Joliet extension (UCS-2 names in a supplementary descriptor). Files are whole in memory;
 * at most 64 KiB of directory, one level, no time stamps but the one given.
 */

const sector = 2048

export interface SeedFile {
  readonly name: string
  readonly body: Uint8Array
}

const ascii = (text: string): Uint8Array =>
  Uint8Array.from([...text].map((char) => char.charCodeAt(0) & 0x7f))

const ucs2 = (text: string): Uint8Array =>
  Uint8Array.from([...text].flatMap((char) => [char.charCodeAt(0) >> 8, char.charCodeAt(0) & 0xff]))

const both16 = (value: number): number[] => [value & 255, value >> 8, value >> 8, value & 255]

const both32 = (value: number): number[] => [
  value & 255,
  (value >>> 8) & 255,
  (value >>> 16) & 255,
  value >>> 24,
  value >>> 24,
  (value >>> 16) & 255,
  (value >>> 8) & 255,
  value & 255,
]

const little32 = (value: number): number[] => [
  value & 255,
  (value >>> 8) & 255,
  (value >>> 16) & 255,
  value >>> 24,
]

const big32 = (value: number): number[] => [...little32(value)].reverse()

const padded = (bytes: Uint8Array, length: number, fill: number): Uint8Array =>
  Uint8Array.from({ length }, (_, i) => bytes[i] ?? fill)

/** A name of the plain volume: eight characters and three, upper case, unique by number. */
const shortName = (name: string, index: number): string => {
  const stem = name
    .toUpperCase()
    .replace(/[^A-Z0-9]+/g, '_')
    .slice(0, 6)
  return `${stem}${index};1`
}

function recordOf(
  name: Uint8Array,
  at: number,
  size: number,
  directory: boolean,
  when: Date,
): Uint8Array {
  const length = 33 + name.length + (name.length % 2 === 0 ? 1 : 0)
  const bytes = new Uint8Array(length)
  const date = [
    when.getUTCFullYear() - 1900,
    when.getUTCMonth() + 1,
    when.getUTCDate(),
    when.getUTCHours(),
    when.getUTCMinutes(),
    when.getUTCSeconds(),
    0,
  ]
  bytes.set([
    length,
    0,
    ...both32(at),
    ...both32(size),
    ...date,
    directory ? 2 : 0,
    0,
    0,
    ...both16(1),
    name.length,
  ])
  bytes.set(name, 33)
  return bytes
}

/** The date of a descriptor: sixteen digits and an offset. */
const longDate = (when: Date): Uint8Array =>
  Uint8Array.from([...ascii(`${when.toISOString().replace(/\D/g, '').slice(0, 14)}00`), 0])

const noDate = Uint8Array.from([...ascii('0000000000000000'), 0])

interface Volume {
  readonly joliet: boolean
  readonly sectors: number
  readonly label: string
  readonly directory: number
  readonly tableLittle: number
  readonly tableBig: number
  readonly when: Date
}

function descriptor({
  joliet,
  sectors,
  label,
  directory,
  tableLittle,
  tableBig,
  when,
}: Volume): Uint8Array {
  const bytes = new Uint8Array(sector)
  const text = (value: string, length: number): Uint8Array => {
    if (!joliet) return padded(ascii(value), length, 0x20)
    const wide = ucs2(value)
    return Uint8Array.from({ length }, (_, i) => wide[i] ?? (i % 2 === 0 ? 0 : 0x20))
  }
  bytes.set([joliet ? 2 : 1, ...ascii('CD001'), 1, 0])
  bytes.set(text('', 32), 8)
  bytes.set(text(label, 32), 40)
  bytes.set(both32(sectors), 80)
  if (joliet) bytes.set([0x25, 0x2f, 0x45], 88)
  bytes.set([...both16(1), ...both16(1), ...both16(sector), ...both32(10)], 120)
  bytes.set([...little32(tableLittle), 0, 0, 0, 0, ...big32(tableBig), 0, 0, 0, 0], 140)
  bytes.set(recordOf(Uint8Array.of(0), directory, sector, true, when), 156)
  bytes.set(text('', 128), 190)
  for (const at of [318, 446, 574]) bytes.set(text('', 128), at)
  for (const at of [702, 739, 776]) bytes.set(text('', 37), at)
  bytes.set(longDate(when), 813)
  bytes.set(longDate(when), 830)
  bytes.set(noDate, 847)
  bytes.set(noDate, 864)
  bytes[881] = 1
  return bytes
}

/** The image. `label` is at most 16 characters of A–Z, 0–9 and _. */
export function seedVolume(files: readonly SeedFile[], label: string, when: Date): Uint8Array {
  const tables = { plain: [19, 20], wide: [21, 22] } as const
  const directories = { plain: 23, wide: 24 }
  let next = 25
  const placed = files.map((file) => {
    const at = next
    next += Math.max(1, Math.ceil(file.body.length / sector))
    return { ...file, at }
  })
  const image = new Uint8Array(next * sector)
  const put = (bytes: Uint8Array, at: number): void => image.set(bytes, at * sector)
  put(
    descriptor({
      joliet: false,
      sectors: next,
      label,
      directory: directories.plain,
      tableLittle: tables.plain[0],
      tableBig: tables.plain[1],
      when,
    }),
    16,
  )
  put(
    descriptor({
      joliet: true,
      sectors: next,
      label,
      directory: directories.wide,
      tableLittle: tables.wide[0],
      tableBig: tables.wide[1],
      when,
    }),
    17,
  )
  put(Uint8Array.from([255, ...ascii('CD001'), 1]), 18)
  for (const [kind, directory] of [
    ['plain', directories.plain],
    ['wide', directories.wide],
  ] as const) {
    put(Uint8Array.from([1, 0, ...little32(directory), 1, 0, 0, 0]), tables[kind][0])
    put(Uint8Array.from([1, 0, ...big32(directory), 0, 1, 0, 0]), tables[kind][1])
    const names = placed.map((file, i) => ({
      ...file,
      id: kind === 'wide' ? ucs2(file.name) : ascii(shortName(file.name, i)),
    }))
    // Entries stand in the order of their names.
    names.sort((a, b) => {
      if (kind === 'wide') {
        if (a.name < b.name) return -1
        return 1
      }
      if (shortName(a.name, 0) < shortName(b.name, 0)) return -1
      return 1
    })
    let offset = 0
    for (const record of [
      recordOf(Uint8Array.of(0), directory, sector, true, when),
      recordOf(Uint8Array.of(1), directory, sector, true, when),
      ...names.map((file) => recordOf(file.id, file.at, file.body.length, false, when)),
    ]) {
      image.set(record, directory * sector + offset)
      offset += record.length
    }
  }
  for (const file of placed) put(file.body, file.at)
  return image
}
