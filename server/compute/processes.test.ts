/** Processes that compute: what one of them needs, takes or suffers is not the server’s. */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest'
import { largeJson } from '../bodies/limits'
import { Processes } from './processes'

/** Does as it is told: answers with its process, fills its memory, goes on for ever, or ends. */
const obedient = `
process.on('message', ({ name }) => {
  if (name === 'answer') process.send({ ok: true, text: String(process.pid) })
  if (name === 'fill') for (const all = []; ; ) all.push(Buffer.alloc(10_000_000, 1))
  if (name === 'stay') for (;;);
  if (name === 'end') process.exit(3)
})
process.on('disconnect', () => process.exit(0))`

let dir: string
let entry: URL
let processes: Processes
const seconds = 20
const open = (more: { most?: number; seconds?: number; mostWaiting?: number } = {}): Processes =>
  (processes = new Processes({
    entry,
    most: 1,
    seconds,
    mostWaiting: 10,
    bytes: 512 * 1024 ** 2,
    ...more,
  }))
const run = (name: string, signal?: AbortSignal) =>
  processes.run({ name, body: new Uint8Array(), limits: largeJson, answerFile: '' }, signal)

beforeAll(() => {
  dir = mkdtempSync(join(tmpdir(), 'gyrarch-processes-'))
  writeFileSync(join(dir, 'obedient.mjs'), obedient)
  entry = pathToFileURL(join(dir, 'obedient.mjs'))
})
afterAll(() => rmSync(dir, { recursive: true, force: true }))
afterEach(() => processes.close())

describe('a task', () => {
  it('is computed in another process, which is kept for the next', async () => {
    open()
    const [first, second] = [await run('answer'), await run('answer')]
    expect(first).toEqual(second)
    expect(first).not.toEqual({ ok: true, text: String(process.pid) })
  })

  it('that needs more memory than it may have is refused as too large, and the next has a new process', async () => {
    open()
    const before = process.memoryUsage().rss
    await expect(run('fill')).rejects.toMatchObject({
      code: 'too-large',
      message: expect.stringContaining('0.5 GiB') as string,
    })
    expect(process.memoryUsage().rss - before).toBeLessThan(200 * 1024 ** 2)
    expect(await run('answer')).toMatchObject({ ok: true })
  })

  it('that does not end is ended, and whose process ends by itself is refused', async () => {
    open({ seconds: 1 })
    await expect(run('stay')).rejects.toMatchObject({ code: 'too-large' })
    await expect(run('end')).rejects.toMatchObject({ code: 'too-large' })
    expect(await run('answer')).toMatchObject({ ok: true })
  })

  it('that is cancelled ends with its process, at work or waiting', async () => {
    open()
    const [atWork, waits] = [new AbortController(), new AbortController()]
    const both = Promise.allSettled([run('stay', atWork.signal), run('answer', waits.signal)])
    waits.abort()
    atWork.abort()
    expect((await both).map(({ status }) => status)).toEqual(['rejected', 'rejected'])
    expect(await run('answer')).toMatchObject({ ok: true })
  })

  it('beyond those that may wait is refused at once', async () => {
    open({ mostWaiting: 1, seconds: 2 })
    const first = run('stay')
    const second = run('answer')
    await expect(run('answer')).rejects.toMatchObject({ code: 'unavailable' })
    await expect(first).rejects.toMatchObject({ code: 'too-large' })
    expect(await second).toMatchObject({ ok: true })
  })
})
