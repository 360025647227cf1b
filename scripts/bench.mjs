/** `npm run bench`: bundles the benches (they are TypeScript) and runs them on the built application. */
import { bin, needChromium, needPackages, root, run } from './ready.mjs'

needPackages()
needChromium()
const application = run(bin('react-router'), ['build', '--logLevel', 'error'])
if (application !== 0) process.exit(application)
const built = run(bin('vite'), ['build', '--config', 'bench/vite.config.ts', '--logLevel', 'error'])
process.exit(built === 0 ? run(process.execPath, [`${root}build/bench/bench.js`]) : built)
