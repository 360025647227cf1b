/**
 * Databases of an earlier version open, migrate and go on. The copy in `testing/stored` was made by version 0.1.0 before
 * effects of commands were recorded: a cluster raised (c-1), a name record set (c-2), a second raise under way (c-3).
 */
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { gunzipSync } from 'node:zlib'
import { afterEach, beforeEach, expect, it } from 'vitest'
import { clusterOf, nodesOf } from '~/core/fleet'
import { madeBy, makersOf } from '../runner/attribution'
import { openForTest, type Opened, runOut } from '../testing/open'

const stored = fileURLToPath(new URL('../testing/stored', import.meta.url))

const files = [
  ['records.gz', 'records.sqlite'],
  ['standin.gz', 'standin.sqlite'],
  ['vault.key.gz', 'vault.key'],
] as const

let opened: Opened
beforeEach(async () => {
  const dir = mkdtempSync(join(tmpdir(), 'gyrarch-stored-'))
  for (const [file, name] of files)
    writeFileSync(join(dir, name), gunzipSync(readFileSync(join(stored, file))))
  opened = await openForTest(dir)
})
afterEach(() => opened.close())

it('shows what was there: its changes, clusters and the time of its clock', async () => {
  const { gyrarch } = opened
  const states = (await gyrarch.changes.list()).map((row) => [row.number, row.state])
  expect(states).toEqual([
    [3, 'running'],
    [2, 'done'],
    [1, 'done'],
  ])
  const view = await gyrarch.fleet.view()
  const raised = clusterOf(view, 'elm-12')
  expect(raised?.apiAnswers).toBe(true)
  expect(raised ? nodesOf(raised).length : 0).toBe(1)
  expect(gyrarch.outside.now).toBeGreaterThan(Date.parse('2026-03-02T06:40:00Z'))
})

it('goes on with the run that was under way, to its proof', async () => {
  const { gyrarch } = opened
  const done = await runOut(gyrarch, 'c-3')
  expect([done.state, done.cause]).toEqual(['done', null])
  expect(done.proof?.every((proof) => proof.holds)).toBe(true)
})

it('attributes what was made before effects were recorded', async () => {
  const made = (await madeBy(1)).map(({ ref }) => ref)
  expect(made).toEqual(expect.arrayContaining(['machine/glasshouse-12/gh12-box', 'cluster/elm-12']))
  const makers = await makersOf(['machine/glasshouse-12/gh12-box', 'machine/mossgate/cedar-cp-1'])
  expect([...makers].map(([ref, maker]) => [ref, maker.change])).toEqual([
    ['machine/glasshouse-12/gh12-box', 'c-1'],
  ])
})

it('fills the catalogue, which records of that version did not have', async () => {
  const { releases, edges, images } = await opened.gyrarch.catalogue.contents()
  expect(releases.every((release) => release.images.length === 15)).toBe(true)
  expect(edges.length).toBeGreaterThan(40)
  expect(images.length).toBeGreaterThan(releases.length * 14)
})
