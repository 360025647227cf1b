import { fileURLToPath } from 'node:url'
import { reactRouter } from '@react-router/dev/vite'
import { constants } from 'node:zlib'
import { defineConfig } from 'vite'
import { compression, defineAlgorithm } from 'vite-plugin-compression2'

const here = (path: string) => fileURLToPath(new URL(path, import.meta.url))

export default defineConfig({
  plugins: [
    reactRouter(),
    // Assets never change under their name, so they are compressed once, harder than on the fly.
    compression({
      include: /client.*\.(js|css|svg)$|assets.*\.(js|css|svg)$/,
      threshold: 1000,
      algorithms: [
        defineAlgorithm('brotliCompress', {
          params: { [constants.BROTLI_PARAM_QUALITY]: 10 },
        }),
        defineAlgorithm('gzip', { level: 9 }),
      ],
    }),
  ],
  resolve: { alias: { '~': here('.') } },
  build: { chunkSizeWarningLimit: 1500 },
  worker: { format: 'es' },
  environments: {
    client: {
      build: {
        rolldownOptions: {
          output: {
            // What most pages share comes as one file: sixty small ones take longer to ask for than to read.
            codeSplitting: { groups: [{ name: 'shared', minShareCount: 20 }] },
          },
        },
      },
    },
    ssr: {
      resolve: {
        noExternal: [
          // Its CommonJS does not name what it exports.
          'rrule',
          // Read from many small files they take longer to find than to run.
          ...[/^@mui\//, /^@emotion\//, 'lucide-react', 'react-hook-form', '@hookform/resolvers'],
          ...[/^@codemirror\//, /^@lezer\//, '@uiw/react-codemirror', '@dnd-kit/core'],
          ...['zod', 'yaml', 'luxon', 'd3-shape', 'd3-hierarchy', 'chart.js', 'react-chartjs-2'],
        ],
      },
      build: {
        rollupOptions: {
          input: {
            main: here('./server/main.ts'),
            engine: here('./server/connectors/standin/engine-thread.ts'),
            compute: here('./server/compute/process.ts'),
            judge: here('./server/judging/judge-thread.ts'),
            partner: here('./server/partner/process.ts'),
          },
        },
      },
    },
  },
})
