/** The agent as one file, with everything it needs inside: it is carried to where nothing else is. */
import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vite'

export default defineConfig({
  publicDir: false,
  build: {
    ssr: fileURLToPath(new URL('./agent/agent.ts', import.meta.url)),
    outDir: fileURLToPath(new URL('./build/agent', import.meta.url)),
    target: 'node20',
    minify: true,
    rollupOptions: { output: { entryFileNames: 'agent.mjs', inlineDynamicImports: true } },
  },
  ssr: { noExternal: true, target: 'node' },
})
