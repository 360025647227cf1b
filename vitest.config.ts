import { availableParallelism } from 'node:os'
import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vitest/config'

const alias = { '~': fileURLToPath(new URL('.', import.meta.url)) }

export default defineConfig({
  resolve: { alias },
  test: {
    // As many as there are processors: by itself one is left idle, which is half of two.
    maxWorkers: availableParallelism(),
    projects: [
      {
        resolve: { alias },
        test: {
          name: 'unit',
          environment: 'node',
          include: ['{core,standin,server,app,workers,demo}/**/*.test.{ts,tsx}'],
          setupFiles: ['server/testing/strict-views.ts'],
          // Against what hangs; how fast things are is for the benches to say.
          testTimeout: 300_000,
          hookTimeout: 120_000,
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
