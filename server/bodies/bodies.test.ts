/** Bodies that are small to send and large to read. */
import { createServer, type Server } from 'node:http'
import { connect } from 'node:net'
import { brotliCompressSync, gzipSync } from 'node:zlib'
import { rmSync, statSync } from 'node:fs'
import express from 'express'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { Refusal, statusOf } from '../changes/errors'
import { checkLine, checkText, checkValue } from './controls'
import { jsonOf } from './json'
import { ordinaryBytes } from './limits'
import { takeBody } from './take'
import { closeUnread } from './unread'

const MiB = 1024 ** 2

/** What a call was refused with. */
const refusal = (call: () => unknown): Refusal => {
  try {
    call()
  } catch (error) {
    if (error instanceof Refusal) return error
    throw error
  }
  throw new Error('it was not refused')
}

describe('JSON', () => {
  const limits = { depth: 4, values: 10 }
  const read = (text: string) => jsonOf(Buffer.from(text), limits)

  it('is read up to its depth and number of values, and no further', () => {
    expect(read('[[[[1]]]]')).toEqual([[[[1]]]])
    expect(refusal(() => read('[[[[[1]]]]]')).code).toBe('too-large')
    expect(read('[1,2,3,4,5,6,7,8,9]')).toHaveLength(9)
    expect(refusal(() => read('[1,2,3,4,5,6,7,8,9,10,11]')).code).toBe('too-large')
    expect(refusal(() => read(`{${'"a":'.repeat(12)}`)).code).toBe('too-large')
  })

  it('counts nothing that stands in a text', () => {
    const text = '[[,{{:"\\\\\\"[[[['
    expect(read(JSON.stringify([text]))).toEqual([text])
    expect(refusal(() => read('["\\"')).code).toBe('invalid')
  })

  it('is UTF-8, with or without its mark, or refused', () => {
    expect(read('\ufeff"ä"')).toBe('ä')
    expect(refusal(() => jsonOf(Buffer.from([0x22, 0xff, 0x22]), limits)).message).toContain(
      'UTF-8',
    )
    expect(read('')).toBeUndefined()
  })
})

describe('control characters', () => {
  it('are refused with their place, tabs and line ends of texts aside', () => {
    expect(() => checkText('a\tb\r\nc')).not.toThrow()
    expect(refusal(() => checkText('a\u0000b', 'name')).message).toBe(
      'name: It holds the control character U+0000. Leave it out.',
    )
    expect(refusal(() => checkLine('a\nb', 'aim')).message).toContain('aim')
    const value = { pools: [{ name: 'x' }, { name: 'y\u001b' }] }
    expect(refusal(() => checkValue(value)).fields[0]?.path).toBe('pools[1].name')
    expect(refusal(() => checkValue({ 'a\u007f': 1 })).code).toBe('invalid')
    expect(() => checkValue({ pools: ['x', 1, null, true] })).not.toThrow()
  })
})

describe('a body', () => {
  let server: Server
  let url: string
  let port: number
  beforeAll(async () => {
    const app = express()
    app.use(closeUnread)
    app.post('/unread', (_request, response) => void response.json({ read: false }))
    app.post('/', async (request, response) => {
      try {
        const body = await takeBody(request, 64 * MiB)
        if (body.bytes) response.json({ bytes: body.bytes.length })
        else {
          response.json({ file: statSync(body.file).size, mode: statSync(body.file).mode & 0o777 })
          rmSync(body.file)
        }
      } catch (error) {
        if (!(error instanceof Refusal)) throw error
        response.status(statusOf[error.code]).json({ says: error.message })
      }
    })
    server = createServer(app)
    // Packing a bomb can hold this thread for longer than an idle connection is kept.
    server.keepAliveTimeout = 0
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
    const address = server.address()
    port = typeof address === 'object' && address !== null ? address.port : 0
    url = `http://127.0.0.1:${port}/`
  })
  afterAll(() => new Promise((done) => server.close(done)))

  const post = async (body: Buffer, coding?: string) => {
    const response = await fetch(url, {
      method: 'POST',
      body: new Uint8Array(body),
      headers: coding === undefined ? {} : { 'content-encoding': coding },
    })
    return { status: response.status, answer: (await response.json()) as unknown }
  }

  it('stays in memory while it is small, and lies in a file of its own when it is large', async () => {
    expect(await post(Buffer.alloc(1000))).toEqual({ status: 200, answer: { bytes: 1000 } })
    expect(await post(Buffer.alloc(ordinaryBytes + 1))).toEqual({
      status: 200,
      answer: { file: ordinaryBytes + 1, mode: 0o600 },
    })
  })

  it('is counted unpacked, whatever it was packed to', async () => {
    const fits = Buffer.alloc(60 * MiB)
    expect(await post(gzipSync(fits), 'gzip')).toMatchObject({ answer: { file: fits.length } })
    const bomb = Buffer.alloc(65 * MiB)
    for (const [packed, coding] of [
      [gzipSync(bomb), 'gzip'],
      [brotliCompressSync(bomb), 'br'],
    ] as const) {
      expect(packed.length).toBeLessThan(MiB)
      expect(await post(packed, coding)).toMatchObject({ status: 413 })
    }
  })

  it('that is not packed as it says, or in a way nobody reads, is refused in words', async () => {
    expect(await post(Buffer.from('hello'), 'gzip')).toMatchObject({ status: 400 })
    expect(await post(gzipSync(Buffer.alloc(1000)).subarray(0, 12), 'gzip')).toMatchObject({
      status: 400,
    })
    expect(await post(Buffer.from('hello'), 'zstd')).toMatchObject({ status: 400 })
  })

  it('that nobody reads closes its connection, and the answer still arrives', async () => {
    const said = await new Promise<string>((done) => {
      const socket = connect(port, '127.0.0.1', () => {
        socket.write('POST /unread HTTP/1.1\r\nHost: x\r\nContent-Length: 1000000\r\n\r\nbegin')
      })
      let text = ''
      socket.on('data', (chunk) => (text += chunk.toString()))
      socket.on('close', () => done(text))
    })
    expect(said).toContain('Connection: close')
    expect(said).toContain('{"read":false}')
  })
})
