/**
 * What relay and agent say to each other over one WebSocket: text frames are these messages, a binary frame is a piece of
 * an answer’s body behind its request’s number (4 bytes, big-endian).
 */

export const subprotocol = 'gyrarch-relay.1'

/** From the relay. */
export type Asked =
  /** Kept instead of the token from here on. */
  | { readonly type: 'credential'; readonly credential: string }
  | {
      readonly type: 'send'
      readonly id: number
      readonly method: string
      /** From `/` on, with its query. */
      readonly path: string
      readonly headers: Readonly<Record<string, string>>
      /** In base64. */
      readonly body?: string
    }
  /** Nobody waits for that answer any more. */
  | { readonly type: 'cancel'; readonly id: number }
  /** So many bytes of an answer were taken: as many more may follow. */
  | { readonly type: 'taken'; readonly id: number; readonly bytes: number }

/** From the agent. */
export type Told =
  | { readonly type: 'kept' }
  | {
      readonly type: 'head'
      readonly id: number
      readonly status: number
      readonly headers: Readonly<Record<string, string>>
    }
  | { readonly type: 'end'; readonly id: number }
  | {
      readonly type: 'failed'
      readonly id: number
      readonly code: string
      readonly message: string
    }

/** Bytes of an answer that may be under way. */
export const windowBytes = 1024 ** 2

/** Why a relay closes a connection for good. */
export const closing = { refused: 4001, dismissed: 4003, replaced: 4004 } as const

/** An agent that hears nothing for so long dials anew. */
export const silentMs = 20_000
export const pingMs = 5000
