/** `node scripts/audit.mjs --target 1.33 FILES`: bundles the audit (it is TypeScript) where that is not done yet, and runs it. */
import { existsSync, readdirSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { bin, needPackages, root, run } from './ready.mjs'

const bundle = `${root}build/audit/main.js`

const newest = (folder) =>
  Math.max(
    ...readdirSync(folder, { recursive: true, encoding: 'utf8' }).map(
      (name) => statSync(join(folder, name)).mtimeMs,
    ),
  )

const isBuilt = () =>
  existsSync(bundle) &&
  statSync(bundle).mtimeMs > Math.max(newest(`${root}core`), newest(`${root}server/audit`))

if (!isBuilt()) {
  needPackages()
  // Only what it finds goes to standard output.
  const status = run(
    bin('vite'),
    ['build', '--config', `${root}server/audit/vite.config.ts`, '--logLevel', 'error'],
    { stdio: ['ignore', 'ignore', 'inherit'], cwd: root },
  )
  if (status !== 0) process.exit(2)
}
// Files are named as the caller sees them.
process.exit(run(process.execPath, [bundle, ...process.argv.slice(2)], { cwd: process.cwd() }))
