/** `npm run build`: the server with its pages, and the agent as one file. */
import { bin, run } from './ready.mjs'

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
