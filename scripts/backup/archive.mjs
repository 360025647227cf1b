/** The archive of a backup: a tar whose first file, `backup.json`, names the others with their sizes and hashes. */
import { createHash } from 'node:crypto'
import {
  createReadStream,
  createWriteStream,
  existsSync,
  mkdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
} from 'node:fs'
import { dirname, join, normalize, sep } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { extract, pack } from 'tar-stream'

export const format = 'backup/1'
const listName = 'backup.json'
const mostListBytes = 16 * 1024 ** 2

/** What is wrong, told to a person. */
export class Refused extends Error {}

export const usualKeyFile = (dir) =>
  process.env.GYRARCH_KEY_FILE ?? `${dir.replace(/[/\\]+$/, '')}.key`

/** What may be shown of a key; as the server shows it. Null where there is none. */
export function keyFingerprint(file) {
  if (!existsSync(file)) return null
  return createHash('sha256')
    .update('gyrarch key')
    .update(readFileSync(file))
    .digest('hex')
    .slice(0, 16)
}

async function hashOf(path) {
  const hash = createHash('sha256')
  for await (const chunk of createReadStream(path)) hash.update(chunk)
  return hash.digest('hex')
}

/** Writes files (`{ name, path }`) as an archive; it is there whole or not at all. */
export async function writeArchive(target, files, more) {
  const listed = []
  for (const { name, path } of files)
    listed.push({ name, bytes: statSync(path).size, sha256: await hashOf(path) })
  const archive = pack()
  const part = `${target}.part`
  const written = pipeline(archive, createWriteStream(part, { mode: 0o600, flush: true }))
  const list = { gyrarch: format, taken: new Date().toISOString(), ...more, files: listed }
  archive.entry({ name: listName }, JSON.stringify(list, null, 2))
  for (const [index, { name, path }] of files.entries())
    await new Promise((done, failed) => {
      const entry = archive.entry({ name, size: listed[index].bytes, mode: 0o600 }, (error) =>
        error ? failed(error) : done(),
      )
      createReadStream(path, { end: Math.max(0, listed[index].bytes - 1) }).pipe(entry)
    })
  archive.finalize()
  await written
  renameSync(part, target)
  return list
}

/** A name that leads nowhere but into the folder. */
function checkName(name) {
  const plain = normalize(name)
  if (plain.startsWith('..') || plain.startsWith(sep) || plain.includes('\0'))
    throw new Refused(
      `The archive holds ${name}, which leads out of its folder. It is no backup of Gyrarch.`,
    )
  return plain
}

function readList(text) {
  try {
    const list = JSON.parse(text)
    if (list?.gyrarch === format && Array.isArray(list.files)) return list
  } catch {
    // Told below.
  }
  throw new Refused(
    `The archive is no backup of Gyrarch: its ${listName} says nothing of ${format}.`,
  )
}

/** Unpacks an archive into a folder, each file held against the list. Refuses what is damaged, missing or too much. */
export async function readArchive(source, dir) {
  const reader = extract()
  let list = null
  const arrived = new Set()
  const reading = pipeline(createReadStream(source), reader)
  reading.catch(() => undefined)
  for await (const entry of reader) {
    const name = checkName(entry.header.name)
    if (list === null) {
      if (name !== listName || entry.header.size > mostListBytes)
        throw new Refused(
          `The archive is no backup of Gyrarch: it does not begin with ${listName}.`,
        )
      const chunks = []
      for await (const chunk of entry) chunks.push(chunk)
      list = readList(Buffer.concat(chunks).toString())
      continue
    }
    const listed = list.files.find((file) => file.name === name)
    if (!listed) throw new Refused(`The archive holds ${name}, which its list does not name.`)
    const path = join(dir, name)
    mkdirSync(dirname(path), { recursive: true, mode: 0o700 })
    await pipeline(entry, createWriteStream(path, { mode: 0o600, flush: true }))
    if (statSync(path).size !== listed.bytes || (await hashOf(path)) !== listed.sha256)
      throw new Refused(`${name} in the archive is damaged: it is not what the list says.`)
    arrived.add(name)
  }
  await reading
  if (list === null) throw new Refused('The archive is empty, or was cut off before its list.')
  const missing = list.files.find(({ name }) => !arrived.has(name))
  if (missing) throw new Refused(`The archive was cut off: ${missing.name} is missing.`)
  return list
}

export const removeAll = (path) => rmSync(path, { recursive: true, force: true })
