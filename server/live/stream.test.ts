import { once } from 'node:events'
import { createServer, type Server } from 'node:http'
import { connect } from 'node:net'
import express from 'express'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { apiRouter } from '../api/router'
import { ChangeRow } from '../records/models'
import { elm, openForTest, type Opened } from '../testing/open'

let opened: Opened
let server: Server
let url: string

beforeAll(async () => {
  opened = await openForTest()
  server = createServer(
    express().use(apiRouter(opened.gyrarch, (error) => expect(error).toBeNull())),
  )
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  const address = server.address()
  url = `http://127.0.0.1:${typeof address === 'object' && address !== null ? address.port : 0}/live`
})
afterAll(async () => {
  server.closeAllConnections()
  await new Promise((done) => server.close(done))
  await opened.close()
})

/** Reads the stream until a text has come, while something is done. */
async function hear(
  until: string,
  during: () => Promise<unknown> = async () => undefined,
  headers: Record<string, string> = {},
): Promise<string> {
  const stop = new AbortController()
  const response = await fetch(url, { headers, signal: stop.signal })
  const reader = response.body?.pipeThrough(new TextDecoderStream()).getReader()
  await during()
  let heard = ''
  while (reader && !heard.includes(until)) heard += (await reader.read()).value ?? ''
  stop.abort()
  return heard
}

const idsIn = (heard: string): number[] =>
  [...heard.matchAll(/^id: (\d+)$/gm)].map((match) => Number(match[1]))

describe('the event stream', () => {
  it('tells a run step by step, each step once a frame', async () => {
    const { changes, outside } = opened.gyrarch
    const heard = await hear('"state":"done"', async () => {
      const { id } = await changes.draft('cluster.raise', elm)
      await changes.run(id, { accept: [] })
      await outside.advance(3000)
    })
    expect(heard).toContain('event: run')
    expect(heard).toContain('"id":"c-1"')
    expect(heard).toContain('event: state')
    const ids = idsIn(heard)
    expect([...ids].sort((a, b) => a - b)).toEqual(ids)
    expect(new Set(ids).size).toBe(ids.length)
  })

  it('goes on after the id a reader saw last', async () => {
    const lines = await opened.gyrarch.journal({ after: 0, limit: 1000 })
    const middle = lines[Math.floor(lines.length / 2)]?.seq ?? 0
    const last = lines.at(-1)?.seq ?? 0
    const heard = await hear(`id: ${last}\n`, undefined, { 'Last-Event-ID': String(middle) })
    expect(idsIn(heard)).toEqual(lines.filter((line) => line.seq > middle).map((line) => line.seq))
  })

  it('says reset to one who missed too much', async () => {
    for (let i = 0; i < 510; i++)
      await opened.gyrarch.journalLine({ kind: 'test', says: `line ${i}`, params: {} })
    const heard = await hear('event: reset', undefined, { 'Last-Event-ID': '1' })
    expect(heard).toContain('event: reset')
    expect(idsIn(heard)).toEqual([])
  })

  it('begins with the clock, so that nobody has to ask for it', async () => {
    expect(await hear('event: clock')).toMatch(/event: clock\ndata: \{"now":"2026-03-02T/)
  })

  it('begins with a mark that tells a reader of before that he has missed something', async () => {
    const { gyrarch } = opened
    const read = gyrarch.hub.mark
    await gyrarch.journalLine({ kind: 'test', says: 'told while nobody listened', params: {} })
    const heard = await hear('event: clock')
    expect(Number(/"mark":(\d+)/.exec(heard)?.[1])).toBeGreaterThan(read)
  })
})

it('lets a reader go that takes nothing, with little kept for it', async () => {
  const socket = connect(Number(new URL(url).port), '127.0.0.1')
  socket.write('GET /live HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n')
  await once(socket, 'data')
  socket.pause()
  const says = 'a line that nobody takes '.repeat(20_000)
  for (let nth = 0; nth < 60; nth++) {
    opened.gyrarch.hub.emit('journal', {
      ...{ seq: 1_000_000_000 + nth, at: '', wall: '', kind: 'test', change: null },
      ...{ about: null, says, params: {}, by: 'person' },
    })
    await new Promise((done) => setTimeout(done, 50))
  }
  let taken = 0
  socket.on('data', (chunk: Buffer) => (taken += chunk.length))
  socket.resume()
  await once(socket, 'close')
  // What lay in the buffers of both ends, and no more.
  expect(taken).toBeLessThan(30 * says.length)
})

it('serves so many streams and no more, and again once some have ended', async () => {
  const open: Response[] = []
  while (open.length < 256)
    open.push(...(await Promise.all(Array.from({ length: 64 }, () => fetch(url)))))
  expect(open.every((response) => response.status === 200)).toBe(true)
  const beyond = await fetch(url)
  expect(beyond.status).toBe(503)
  await beyond.text()
  await Promise.all(open.map((response) => response.body?.cancel()))
  await vi.waitUntil(async () => {
    const again = await fetch(url)
    await again.body?.cancel()
    return again.status === 200
  })
})

it('asks the database once for all who listen', async () => {
  const { gyrarch } = opened
  const readers = await Promise.all(Array.from({ length: 6 }, () => fetch(url)))
  const asked = vi.spyOn(ChangeRow, 'findByPk')
  gyrarch.hub.emit('run', { change: 1, steps: [] })
  await vi.waitUntil(() => asked.mock.calls.length > 0)
  await Promise.all(readers.map((reader) => reader.body?.cancel()))
  expect(asked).toHaveBeenCalledTimes(1)
})
