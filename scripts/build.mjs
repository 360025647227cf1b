/** `npm run build`: the server with its pages, and the agent as one file. */
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { brotliCompressSync, gzipSync } from 'node:zlib'
import { bin, root, run } from './ready.mjs'

const env = { ...process.env, NODE_ENV: 'production' }
const quiet = process.argv.includes('--quiet')
  ? { stdio: ['ignore', 'ignore', 'inherit'], env }
  : { env }

for (const [command, args] of [
  ['react-router', ['build']],
  ['vite', ['build', '--config', 'vite.agent.config.ts']],
]) {
  const status = run(bin(command), [...args, '--logLevel', 'error'], quiet)
  if (status !== 0) process.exit(status)
}

// The list of routes is written after everything else has been compressed.
const assets = `${root}build/client/assets/`
for (const name of readdirSync(assets)) {
  if (!/^manifest-\w+\.js$/.test(name)) continue
  const body = readFileSync(assets + name)
  writeFileSync(`${assets}${name}.br`, brotliCompressSync(body))
  writeFileSync(`${assets}${name}.gz`, gzipSync(body, { level: 9 }))
}
