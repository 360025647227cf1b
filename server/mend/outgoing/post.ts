/**
 * A body sent to whoever asked for it. The address is looked up once, checked, and is the one that is dialled: a name
 * that leads inside, or a redirect, is refused rather than followed.
 */
import { lookup } from 'node:dns'
import { request as plainRequest, type RequestOptions } from 'node:http'
import { request as tlsRequest } from 'node:https'
import { BlockList, isIP } from 'node:net'
import { said } from './says'

export interface Posted {
  readonly delivered: boolean
  /** Null where no answer came. */
  readonly status: number | null
  readonly says: string
}

export type Post = (
  url: string,
  headers: Readonly<Record<string, string>>,
  body: string,
) => Promise<Posted>

/** An answer is waited for so long, and read so far. */
const patienceMs = 5000
const mostBytes = 64 * 1024

const inside = new BlockList()
for (const [net, bits] of [
  ['0.0.0.0', 8],
  ['10.0.0.0', 8],
  ['100.64.0.0', 10],
  ['127.0.0.0', 8],
  ['169.254.0.0', 16],
  ['172.16.0.0', 12],
  ['192.0.0.0', 24],
  ['192.168.0.0', 16],
  ['198.18.0.0', 15],
  ['224.0.0.0', 3],
] as const)
  inside.addSubnet(net, bits, 'ipv4')
for (const [net, bits] of [
  ['::', 128],
  ['::1', 128],
  ['64:ff9b::', 96],
  ['fc00::', 7],
  ['fe80::', 10],
  ['ff00::', 8],
] as const)
  inside.addSubnet(net, bits, 'ipv6')

const familyOf = (address: string): 'ipv4' | 'ipv6' => (isIP(address) === 6 ? 'ipv6' : 'ipv4')

/** Ranges inside that may be told all the same, as `10.20.0.0/16`. */
export function allowing(ranges: readonly string[]): BlockList {
  const allowed = new BlockList()
  for (const range of ranges) {
    const [net = '', bits = ''] = range.split('/')
    allowed.addSubnet(net, Number(bits), familyOf(net))
  }
  return allowed
}

/** Whether a body may go to an address. */
export const mayReach = (address: string, allowed: BlockList): boolean =>
  !inside.check(address, familyOf(address)) || allowed.check(address, familyOf(address))

class Inside extends Error {}

/** Looks a name up and hands over only what may be reached. */
const checkedLookup =
  (allowed: BlockList): NonNullable<RequestOptions['lookup']> =>
  (host, options, done) =>
    lookup(host, { ...options, all: true }, (error, addresses) => {
      if (error) {
        done(error, '', 0)
        return
      }
      const barred = addresses.find(({ address }) => !mayReach(address, allowed))
      if (barred) done(new Inside(barred.address), '', 0)
      else if (options.all) done(null, addresses)
      else done(null, addresses[0]?.address ?? '', addresses[0]?.family ?? 4)
    })

const answered = (status: number): Posted => {
  if (status >= 200 && status < 300)
    return { delivered: true, status, says: said('answered', { status }).says }
  return {
    delivered: false,
    status,
    says: said(status >= 300 && status < 400 ? 'redirects' : 'answered', { status }).says,
  }
}

const failed = (says: string): Posted => ({ delivered: false, status: null, says })

/** Sends over the network. Never throws. */
export const overNetwork =
  (allowed: BlockList): Post =>
  (url, headers, body) =>
    new Promise((resolve) => {
      const { protocol, hostname } = new URL(url)
      const host = hostname.replace(/^\[|\]$/g, '')
      if (isIP(host) !== 0 && !mayReach(host, allowed)) {
        resolve(failed(said('inside', { address: host }).says))
        return
      }
      const send = protocol === 'https:' ? tlsRequest : plainRequest
      const outgoing = send(
        url,
        {
          method: 'POST',
          headers: { ...headers, 'Content-Length': Buffer.byteLength(body) },
          lookup: checkedLookup(allowed),
          signal: AbortSignal.timeout(patienceMs),
        },
        (response) => {
          let read = 0
          response.on('data', (chunk: Buffer) => {
            read += chunk.length
            if (read > mostBytes) response.destroy()
          })
          response.on('close', () => resolve(answered(response.statusCode ?? 0)))
        },
      )
      outgoing.on('error', (error: NodeJS.ErrnoException) => {
        if (error instanceof Inside)
          resolve(failed(said('inside', { address: error.message }).says))
        else if (error.name === 'AbortError' || error.name === 'TimeoutError')
          resolve(failed(said('slow', { seconds: patienceMs / 1000 }).says))
        else resolve(failed(said('unreached', { host, code: error.code ?? error.message }).says))
      })
      outgoing.end(body)
    })
