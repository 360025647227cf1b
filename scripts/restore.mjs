/** `npm run restore`: a folder of data out of a backup. */
import { existsSync, mkdirSync, readdirSync, renameSync } from 'node:fs'
import { dirname, join, resolve } from 'node:path'
import { keyFingerprint, readArchive, removeAll, usualKeyFile } from './backup/archive.mjs'
import { objectionTo, rowsOf } from './backup/databases.mjs'
import { fail, optionsOf } from './backup/options.mjs'

const usage = `npm run restore -- --from FILE [--data DIR]

  --from FILE  a backup that npm run backup has written
  --data DIR   the folder that is made of it (default ./data); missing or empty`

const values = optionsOf(usage, 'from', 'Say from what: --from FILE.')
const source = resolve(values.from)
const dir = resolve(values.data)
if (!existsSync(source)) fail(`There is no file ${source}.`)
if (existsSync(dir) && readdirSync(dir).length > 0)
  fail(`${dir} is not empty. Give another folder with --data, or move this one away first.`)

/** Secrets that a key other than theirs does not open. */
async function sealedIn(folder) {
  const records = join(folder, 'records.sqlite')
  const of = (sql) => rowsOf(records, sql).catch(() => [])
  return [
    ...(await of('SELECT site, name FROM credentials ORDER BY site, name')).map(
      ({ site, name }) => `credential ${name} for ${site}`,
    ),
    ...(await of('SELECT name FROM receivers ORDER BY name')).map(
      ({ name }) => `the secret of ${name}, who is told`,
    ),
  ]
}

const part = `${dir}.restoring`
removeAll(part)
mkdirSync(dirname(part), { recursive: true })
mkdirSync(part, { mode: 0o700 })
try {
  const list = await readArchive(source, part)
  for (const name of ['records.sqlite', 'standin.sqlite']) {
    if (!list.files.some((file) => file.name === name)) throw new Error(`it lacks ${name}.`)
    const objection = await objectionTo(join(part, name))
    if (objection !== null) throw new Error(`${name} in it is damaged: ${objection}.`)
  }
  if (existsSync(dir)) removeAll(dir)
  renameSync(part, dir)
  console.log(
    `${dir} is as it was at ${list.taken}. Start it with: npm run demo -- --data ${values.data}`,
  )
  const keyFile = usualKeyFile(dir)
  const here = keyFingerprint(keyFile)
  if (list.keyFingerprint !== null && here !== list.keyFingerprint) {
    const secrets = await sealedIn(dir)
    console.log(
      `Its secrets are sealed with key ${list.keyFingerprint}; ${here === null ? 'none is' : `another, ${here}, is`} at ${keyFile}. Put that key there, or enter again:\n${secrets.map((secret) => `  ${secret}`).join('\n')}`,
    )
  }
} catch (error) {
  console.error(`Nothing was restored: ${error.message}`)
  process.exitCode = 1
} finally {
  removeAll(part)
}
