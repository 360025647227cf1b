/** The API of a whole Gyrarch, served for the tests of one file; every answer is held against the description. */
import { createServer, type Server } from 'node:http'
import express from 'express'
import { afterAll, afterEach, beforeAll, expect } from 'vitest'
import { apiRouter } from '../api/router'
import { AnswerCheck } from './answers'
import { openForTest, type Opened } from './open'

export interface ApiServer extends Omit<Opened, 'errors'> {
  readonly base: string
  /** What the server could not answer: errors of its own. */
  readonly errors: readonly unknown[]
  readonly check: AnswerCheck
}

export function apiForAll(take: (served: ApiServer) => void): void {
  let check: AnswerCheck
  let opened: Opened
  let server: Server
  beforeAll(async () => {
    check = await AnswerCheck.made()
    opened = await openForTest(undefined, true)
    const errors: unknown[] = []
    const app = express()
    app.use(
      '/api/v1',
      apiRouter(opened.gyrarch, (error) => errors.push(error), check.listen),
    )
    server = createServer(app)
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
    const address = server.address()
    const port = typeof address === 'object' && address !== null ? address.port : 0
    take({ ...opened, base: `http://127.0.0.1:${port}/api/v1`, errors, check })
  })
  afterEach(() => expect(check.problems.splice(0)).toEqual([]))
  afterAll(async () => {
    await new Promise((done) => server.close(done))
    await opened.close()
  })
}
