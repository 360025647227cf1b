/** Requests to the API that is served for a test file, and what any answer must be like. */
import { expect } from 'vitest'
import { apiForAll } from './api-server'

export interface Sent {
  readonly status: number
  readonly json: {
    readonly error?: {
      readonly code: string
      readonly says: string
      readonly fields: readonly { readonly path: string; readonly says: string }[]
    }
  } & Record<string, unknown>
}

export interface Asking {
  send(
    method: string,
    path: string,
    body?: string,
    headers?: Readonly<Record<string, string>>,
  ): Promise<Sent>
  post(path: string, body: unknown): Promise<Sent>
  /** Anything but a 500; an error has its shape, its reason, and no trace of the program. */
  wellAnswered(sent: Sent): void
}

/** Serves the API for the tests of a file, and asks it. */
export function askingForAll(): Asking {
  let base: string
  let errors: readonly unknown[]
  apiForAll((served) => ({ base, errors } = served))
  const send: Asking['send'] = async (method, path, body, headers = {}) => {
    const response = await fetch(base + path, {
      method: method.toUpperCase(),
      headers: { 'Content-Type': 'application/json', ...headers },
      ...(body === undefined ? {} : { body }),
    })
    const text = await response.text()
    return {
      status: response.status,
      json: /json/.test(response.headers.get('content-type') ?? '')
        ? (JSON.parse(text) as Sent['json'])
        : {},
    }
  }
  return {
    send,
    post: (path, body) => send('post', path, JSON.stringify(body)),
    wellAnswered: ({ status, json }) => {
      expect(status).toBeLessThan(500)
      expect(errors).toEqual([])
      if (status < 400) return
      const codes = ['invalid', 'not-found', 'conflict', 'too-large', 'forbidden']
      expect(codes).toContain(json.error?.code)
      expect(json.error?.says.length).toBeGreaterThan(5)
      expect(JSON.stringify(json)).not.toMatch(/node_modules|\.ts:\d|at Object\./)
    },
  }
}
