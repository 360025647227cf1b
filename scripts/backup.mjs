/** `npm run backup`: all data of a folder as one file, also while the server runs. */
import { existsSync, mkdirSync, mkdtempSync, readdirSync } from 'node:fs'
import { dirname, join, relative, resolve } from 'node:path'
import { keyFingerprint, removeAll, usualKeyFile, writeArchive } from './backup/archive.mjs'
import { copyDatabases } from './backup/databases.mjs'
import { fail, optionsOf } from './backup/options.mjs'

const usage = `npm run backup -- --to FILE [--data DIR]

  --to FILE    where the backup is written
  --data DIR   the folder with the data (default ./data); the server may be running

The key that secrets are sealed with is not in it: keep a copy of it elsewhere.`

const values = optionsOf(usage, 'to', 'Say where to: --to FILE.')
const dir = resolve(values.data)
const target = resolve(values.to)
const needed = ['records.sqlite', 'standin.sqlite']
const lacking = needed.find((name) => !existsSync(join(dir, name)))
if (lacking !== undefined)
  fail(`${dir} has no ${lacking}: it is no folder of Gyrarch’s data. Give the folder with --data.`)
if (existsSync(target)) fail(`${target} exists already. Give another name, or remove it first.`)

/** Files beside the databases: what registries and shipments hold. */
const filesIn = (folder) =>
  readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name)
    if (entry.isDirectory()) return filesIn(path)
    const name = relative(dir, path)
    return !entry.isFile() || /\.(sqlite(-\w+)?|key|part)$|^lock\.txt$/.test(name)
      ? []
      : [{ name, path }]
  })

mkdirSync(dirname(target), { recursive: true })
const copies = mkdtempSync(join(dirname(target), '.gyrarch-backup-'))
try {
  const names = [...needed, ...(existsSync(join(dir, 'history.sqlite')) ? ['history.sqlite'] : [])]
  await copyDatabases(dir, names, copies)
  const list = await writeArchive(
    target,
    [...names.map((name) => ({ name, path: join(copies, name) })), ...filesIn(dir)],
    { keyFingerprint: keyFingerprint(usualKeyFile(dir)) },
  )
  const bytes = list.files.reduce((sum, file) => sum + file.bytes, 0)
  console.log(
    `${target}: ${list.files.length} files, ${(bytes / 1024 ** 2).toFixed(1)} MiB. Sealed with key ${list.keyFingerprint ?? 'unknown'}, which is not in it.`,
  )
} catch (error) {
  console.error(`The backup was not written: ${error.message}`)
  process.exitCode = 1
} finally {
  removeAll(copies)
}
