/** A folder as the first start leaves it, made once before all tests of the server: each of them begins on a copy. */
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { TestProject } from 'vitest/node'
import { inThisThread } from '../connectors/standin/engine-link'
import { Gyrarch } from '../gyrarch'

declare module 'vitest' {
  interface ProvidedContext {
    readonly firstFolder: string
  }
}

export default async function setup(project: TestProject): Promise<() => void> {
  const dir = mkdtempSync(join(tmpdir(), 'gyrarch-first-'))
  const gyrarch = await Gyrarch.open({
    dir,
    link: inThisThread(),
    clockRuns: false,
    keepsHistory: false,
  })
  await gyrarch.close()
  project.provide('firstFolder', dir)
  return () => {
    for (const path of [dir, `${dir}.key`]) rmSync(path, { recursive: true, force: true })
  }
}
