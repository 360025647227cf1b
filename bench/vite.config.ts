import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vite'

const here = (path: string) => fileURLToPath(new URL(path, import.meta.url))

export default defineConfig({
  root: here('..'),
  publicDir: false,
  resolve: { alias: { '~': here('..') } },
  ssr: { noExternal: ['rrule'] },
  build: { ssr: here('./bench.ts'), outDir: 'build/bench', emptyOutDir: true, target: 'node20' },
})
