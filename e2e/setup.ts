/** The browser tests run against the built server: a stale or missing build would test something else. */
import { existsSync } from 'node:fs'
import { fileURLToPath } from 'node:url'

export default function setup(): void {
  const main = fileURLToPath(new URL('../build/server/main.js', import.meta.url))
  if (!existsSync(main))
    throw new Error('There is no build. Run npm run build first, or npm test, which does.')
}
