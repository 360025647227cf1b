/**
 * `node scripts/audit.mjs --target 1.33 FILES`: what of some files a release no longer serves, for a pipeline.
 *   --format text|json|sarif    how it is told (text)
 * Files, folders (their .yaml, .yml and .json files), or - for what is piped in. Ends with 1 where something is gone at the
 * target, with 2 where it was asked wrongly or a file cannot be read.
 */
import { readdirSync, readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { auditedFile, exitCode, report, reportFormats } from './report'

const usage = 'node scripts/audit.mjs --target 1.33 [--format text|json|sarif] FILES'

function filesIn(path: string): readonly string[] {
  if (path === '-' || !statSync(path).isDirectory()) return [path]
  return readdirSync(path, { recursive: true, encoding: 'utf8' })
    .filter((name) => /\.(ya?ml|json)$/i.test(name))
    .sort()
    .map((name) => join(path, name))
}

function main(): number {
  const { values, positionals } = parseArgs({
    options: { target: { type: 'string' }, format: { type: 'string', default: 'text' } },
    allowPositionals: true,
  })
  const { target = '' } = values
  const format = reportFormats.find((candidate) => candidate === values.format)
  if (!/^\d{1,4}\.\d{1,4}$/.test(target)) throw new Error(`Name the target as a minor. ${usage}`)
  if (!format) throw new Error(`--format is text, json or sarif. ${usage}`)
  if (positionals.length === 0) throw new Error(`Name the files. ${usage}`)
  const files = positionals
    .flatMap(filesIn)
    .map((file) => auditedFile(file, readFileSync(file === '-' ? 0 : file, 'utf8'), target))
  process.stdout.write(report(files, target, format))
  return exitCode(files)
}

try {
  process.exitCode = main()
} catch (error) {
  process.stderr.write(`${error instanceof Error ? error.message : String(error)}\n`)
  process.exitCode = 2
}
