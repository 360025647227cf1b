/** A whole Gyrarch for tests: in this thread, in a folder of its own, with a clock that only tests move. */
import { cpSync, existsSync, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, afterEach, beforeAll, beforeEach, inject } from 'vitest'
import type { FleetView } from '~/core/fleet'
import { Gyrarch } from '../gyrarch'
import { inThisThread } from '../connectors/standin/engine-link'
import type { ChangeRecord } from '../changes/changes'

export interface Opened {
  readonly gyrarch: Gyrarch
  readonly dir: string
  /** What was thrown where nobody waits for it; the first makes `close` fail. */
  readonly errors: unknown[]
  close(): Promise<void>
}

/** Nothing is in it: whoever opens it starts for the first time, in the world as it is then. */
export const emptyFolder = (): string => mkdtempSync(join(tmpdir(), 'gyrarch-test-'))

/** A folder that nobody has used: a copy of what a first start leaves; with its history from a start of its own. */
const newFolder = (keepsHistory: boolean): string =>
  keepsHistory ? emptyFolder() : copyFolder(inject('firstFolder'))

export async function openForTest(given?: string, keepsHistory = false): Promise<Opened> {
  const dir = given ?? newFolder(keepsHistory)
  const errors: unknown[] = []
  const gyrarch = await Gyrarch.open({
    dir,
    link: inThisThread(),
    clockRuns: false,
    keepsHistory,
    onError: (error) => void errors.push(error),
  })
  return {
    gyrarch,
    dir,
    errors,
    close: async () => {
      await gyrarch.close()
      for (const path of [dir, `${dir}.key`]) rmSync(path, { recursive: true, force: true })
      if (errors.length > 0) throw errors[0]
    },
  }
}

/** A folder as it is at this moment, with the key beside it: what a server finds that was ended just now. */
export function copyFolder(dir: string): string {
  const copy = mkdtempSync(join(tmpdir(), 'gyrarch-copy-'))
  cpSync(dir, copy, { recursive: true })
  if (existsSync(`${dir}.key`)) cpSync(`${dir}.key`, `${copy}.key`)
  return copy
}

/** A Gyrarch of its own for each test of a file, handed over before it and closed after it. */
export function gyrarchForEach(
  take: (opened: Opened) => void,
  open: () => Promise<Opened> = openForTest,
): void {
  let opened: Opened
  beforeEach(async () => {
    opened = await open()
    take(opened)
  })
  afterEach(() => opened.close())
}

/** One Gyrarch for all tests of a file, with the fleet as the demo begins. */
export function gyrarchForAll(take: (opened: Opened, view: FleetView) => void): void {
  let opened: Opened
  beforeAll(async () => {
    opened = await openForTest()
    take(opened, await opened.gyrarch.fleet.view())
  })
  afterAll(() => opened.close())
}

/** Moves the clock until the change has ended or halted, at most `hours` of it. */
export async function runOut(gyrarch: Gyrarch, id: string, hours = 3): Promise<ChangeRecord> {
  for (let minutes = 0; minutes < hours * 60; minutes++) {
    const change = await gyrarch.changes.get(id)
    if (change.state !== 'running' && change.state !== 'undoing' && change.state !== 'waiting')
      return change
    await gyrarch.outside.advance(60)
  }
  return gyrarch.changes.get(id)
}

/** Drafts a change, accepts what it cautions of, says the name of a guarded cluster, and runs it out. */
export async function draftAndRun(
  gyrarch: Gyrarch,
  kind: string,
  intent: unknown,
  hours = 3,
): Promise<ChangeRecord> {
  const { id, findings, guardedBy } = await gyrarch.changes.draft(kind, intent)
  await gyrarch.changes.run(id, {
    accept: findings.map(({ key }) => key),
    confirm: guardedBy ?? undefined,
  })
  return runOut(gyrarch, id, hours)
}

export { birch, elm, fernlet, oak } from '~/core/testing/drafts'
