/** Refusals of the server side, as pages show them. */
import { data } from 'react-router'
import { Refusal, statusOf } from '~/server/changes/errors'

export interface Refused {
  readonly refused: string
  readonly fields: readonly { readonly path: string; readonly says: string }[]
}

/** Runs `work`; a refusal becomes data with its status, anything else goes on up. */
export async function orRefused<T>(work: () => Promise<T>) {
  try {
    return await work()
  } catch (error) {
    if (!(error instanceof Refusal)) throw error
    const refused: Refused = { refused: error.message, fields: error.fields }
    return data(refused, { status: statusOf[error.code] })
  }
}

/** For loaders: a refusal becomes the error page with its status. */
export async function orNotFound<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work()
  } catch (error) {
    if (error instanceof Refusal) throw data(error.message, { status: statusOf[error.code] })
    throw error
  }
}
