/** `npm run bench`: bundles the benches (they are TypeScript) and runs them on the built application. */
import { bin, needChromium, needPackages, root, run } from './ready.mjs'

needPackages()
needChromium()

// With --json only the figures go to standard output.
const quiet = { stdio: ['ignore', 'ignore', 'inherit'] }

function build(command, args) {
  const status = run(bin(command), args, quiet)
  if (status !== 0) process.exit(status)
}

const built = run(process.execPath, [`${root}scripts/build.mjs`, '--quiet'], quiet)
if (built !== 0) process.exit(built)
build('vite', ['build', '--config', 'bench/vite.config.ts', '--logLevel', 'error'])
// The simulator is given the young generation that its worker thread has.
const flags = ['--max-semi-space-size=32']
process.exit(
  run(process.execPath, [...flags, `${root}build/bench/bench.js`, ...process.argv.slice(2)]),
)
