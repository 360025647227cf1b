/** What the server is told about its relay when it is started. */
import { readFileSync } from 'node:fs'
import type { RelayOptions } from './agents'

interface Given {
  readonly 'relay-listen'?: string | undefined
  readonly 'relay-url'?: string | undefined
  readonly 'relay-certificate'?: string | undefined
  readonly 'relay-key'?: string | undefined
}

function refuse(says: string): never {
  process.stderr.write(`${says}\n`)
  process.exit(2)
}

function fileOf(path: string, option: string): Buffer {
  try {
    return readFileSync(path)
  } catch {
    return refuse(`--${option} ${path}: this file cannot be read.`)
  }
}

/** Ends the process, saying why, where what was given is no use. */
export function relayOf(given: Given): RelayOptions {
  const listen = given['relay-listen']
  const url = given['relay-url']
  const certificate = given['relay-certificate']
  const key = given['relay-key']
  const at = listen === undefined ? null : /^(\[[^\]]+\]|[^:]+):(\d{1,5})$/.exec(listen)
  if (listen !== undefined && (!at || Number(at[2]) > 65_535))
    refuse(`--relay-listen ${listen}: write it like 0.0.0.0:4610.`)
  if (url !== undefined && !/^wss?:\/\/[^/\s]+/.test(url))
    refuse(`--relay-url ${url}: write it like wss://gyrarch.fernhollow.example:4610.`)
  if ((certificate === undefined) !== (key === undefined))
    refuse('--relay-certificate and --relay-key go together.')
  return {
    ...(at ? { host: (at[1] ?? '').replace(/^\[|\]$/g, ''), port: Number(at[2]) } : {}),
    ...(url === undefined ? {} : { url }),
    ...(certificate === undefined || key === undefined
      ? {}
      : {
          tls: {
            certificate: fileOf(certificate, 'relay-certificate'),
            key: fileOf(key, 'relay-key'),
          },
        }),
  }
}
