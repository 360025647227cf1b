/**
 * What an agent dials with after its first time: a file of its own and, inside a cluster, a part of its own Secret, so
 * that a pod made anew goes on.
 */
import { chmodSync, existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { type Api, send } from './api'

export interface Kept {
  /** The last one that was kept, or null. */
  read(): Promise<string | null>
  /** Kept whole or not at all. */
  write(credential: string): Promise<void>
}

const waitMs = 10_000

async function bodyOf(response: AsyncIterable<Buffer>): Promise<string> {
  const chunks: Buffer[] = []
  for await (const chunk of response) chunks.push(chunk)
  return Buffer.concat(chunks).toString('utf8')
}

function inFile(folder: string): Kept {
  const file = join(folder, 'credential')
  return {
    read: async () => (existsSync(file) ? readFileSync(file, 'utf8').trim() || null : null),
    write: async (credential) => {
      mkdirSync(folder, { recursive: true, mode: 0o700 })
      const part = `${file}.part`
      writeFileSync(part, credential, { mode: 0o600 })
      chmodSync(part, 0o600)
      renameSync(part, file)
    },
  }
}

/** `secret` is `namespace/name`. */
function inSecret(api: Api, secret: string): Kept {
  const [namespace = '', name = ''] = secret.split('/')
  const path = `/api/v1/namespaces/${encodeURIComponent(namespace)}/secrets/${encodeURIComponent(name)}`
  const headers = { accept: 'application/json', 'user-agent': 'gyrarch-agent' }
  return {
    read: async () => {
      const signal = AbortSignal.timeout(waitMs)
      const response = await send(api, { method: 'GET', path, headers, signal })
      const text = await bodyOf(response)
      if (response.statusCode === 404) return null
      if (response.statusCode !== 200) throw new Error(`its Secret: ${response.statusCode}`)
      const { data } = JSON.parse(text) as { data?: { credential?: string } }
      return data?.credential === undefined
        ? null
        : Buffer.from(data.credential, 'base64').toString('utf8')
    },
    write: async (credential) => {
      const patch = {
        data: { credential: Buffer.from(credential).toString('base64'), token: null },
      }
      const body = Buffer.from(JSON.stringify(patch))
      const response = await send(api, {
        method: 'PATCH',
        path,
        headers: {
          ...headers,
          'content-type': 'application/merge-patch+json',
          'content-length': String(body.length),
        },
        body,
        signal: AbortSignal.timeout(waitMs),
      })
      await bodyOf(response)
      if (response.statusCode !== 200) throw new Error(`its Secret: ${response.statusCode}`)
    },
  }
}

export function keptIn(api: Api, folder: string, secret: string | undefined): Kept {
  const file = inFile(folder)
  if (secret === undefined || secret === '') return file
  const own = inSecret(api, secret)
  return {
    read: async () => (await file.read()) ?? (await own.read()),
    write: async (credential) => {
      await own.write(credential)
      await file.write(credential)
    },
  }
}
