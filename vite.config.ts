import { fileURLToPath } from 'node:url'
import { reactRouter } from '@react-router/dev/vite'
import { defineConfig } from 'vite'

const here = (path: string) => fileURLToPath(new URL(path, import.meta.url))

export default defineConfig({
  plugins: [reactRouter()],
  resolve: { alias: { '~': here('.') } },
  build: { chunkSizeWarningLimit: 1500 },
  worker: { format: 'es' },
  environments: {
    ssr: {
      build: {
        rollupOptions: {
          input: {
            main: here('./server/main.ts'),
            engine: here('./server/connectors/standin/engine-thread.ts'),
            compute: here('./server/compute/thread.ts'),
          },
        },
      },
    },
  },
})
