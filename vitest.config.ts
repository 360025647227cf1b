import { availableParallelism } from 'node:os'
import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vitest/config'

const alias = { '~': fileURLToPath(new URL('.', import.meta.url)) }

/** What all tests without a browser have in common. */
const unit = {
  environment: 'node',
  setupFiles: ['server/testing/strict-views.ts', 'server/testing/quick-stacks.ts'],
  // Against what hangs; how fast things are is for the benches to say.
  testTimeout: 300_000,
  hookTimeout: 120_000,
}

const server = { ...unit, globalSetup: ['server/testing/first-folder.ts'] }

/** Tests that alter the demo’s own data, or what the program is told by its surroundings, or that measure its memory. */
const apart = ['server/{shipments,partner}/**/*.test.ts', 'server/give-back.test.ts']

/** Tests of pages on a Gyrarch of the demo. */
const pages = 'app/**/*.page.test.tsx'

export default defineConfig({
  resolve: { alias },
  test: {
    // As many as there are processors: by itself one is left idle, which is half of two.
    maxWorkers: availableParallelism(),
    projects: [
      {
        resolve: { alias },
        test: {
          ...unit,
          name: 'pure',
          include: ['{core,standin,app,workers,demo}/**/*.test.{ts,tsx}'],
          exclude: [pages],
          setupFiles: [...unit.setupFiles, 'app/testing/patience.ts'],
          // Nothing here keeps anything between tests: modules are read once, which halves the time.
          isolate: false,
        },
      },
      {
        resolve: { alias },
        test: {
          ...server,
          name: 'server',
          include: ['server/**/*.test.ts'],
          exclude: apart,
          // Each test opens and closes a Gyrarch of its own: the program is read once.
          isolate: false,
        },
      },
      { resolve: { alias }, test: { ...server, name: 'apart', include: apart } },
      {
        resolve: { alias },
        test: {
          ...server,
          name: 'pages',
          include: [pages],
          setupFiles: [...server.setupFiles, 'app/testing/patience.ts'],
          // What stands in for a browser replaces how requests are sent: tests of the server must not meet that.
          isolate: false,
        },
      },
      {
        resolve: { alias },
        test: {
          name: 'browser',
          environment: 'node',
          include: ['e2e/**/*.test.ts'],
          globalSetup: ['e2e/setup.ts'],
          fileParallelism: false,
          testTimeout: 300_000,
          hookTimeout: 120_000,
        },
      },
    ],
  },
})
