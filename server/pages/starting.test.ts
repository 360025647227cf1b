import express from 'express'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { Server } from 'node:http'
import { untilReady } from './starting'

let isReady = false
let server: Server
let url: string

beforeAll(async () => {
  const app = express()
  app.use(untilReady(() => isReady))
  app.get('/fleet', (_request, response) => void response.send('the fleet'))
  await new Promise<void>((done) => {
    server = app.listen(0, '127.0.0.1', () => done())
  })
  const address = server.address()
  url = `http://127.0.0.1:${typeof address === 'object' ? (address?.port ?? 0) : 0}/fleet`
})
afterAll(() => new Promise((done) => server.close(done)))

const asked = (accept: string, method = 'GET') => fetch(url, { method, headers: { accept } })

describe('while the server starts', () => {
  it('a browser gets a page that asks again by itself', async () => {
    const answer = await asked('text/html,application/xhtml+xml,*/*;q=0.8')
    expect([answer.status, answer.headers.get('retry-after')]).toEqual([503, '2'])
    expect(answer.headers.get('content-type')).toMatch(/^text\/html/)
    expect(await answer.text()).toContain('http-equiv="refresh"')
  })

  it.each([
    ['application/json', 'GET'],
    ['*/*', 'GET'],
    ['text/html', 'POST'],
  ])('who takes %s with %s gets the error of the API', async (accept, method) => {
    const answer = await asked(accept, method)
    expect(answer.status).toBe(503)
    expect(await answer.json()).toMatchObject({ error: { code: 'unavailable' } })
  })

  it('nobody is held up once it has started', async () => {
    isReady = true
    expect(await (await asked('text/html')).text()).toBe('the fleet')
  })
})
