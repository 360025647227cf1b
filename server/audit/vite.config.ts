import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vite'

const here = (path: string) => fileURLToPath(new URL(path, import.meta.url))

export default defineConfig({
  root: here('../..'),
  publicDir: false,
  resolve: { alias: { '~': here('../..') } },
  build: { ssr: here('./main.ts'), outDir: 'build/audit', emptyOutDir: true, target: 'node20' },
})
