/** Refusals of the server side, as pages show them. */
import { data, redirect } from 'react-router'
import type { ChangeRecord, Changes } from '~/server/changes/changes'
import { Refusal, statusOf, storageRefusal } from '~/server/changes/errors'

export interface Refused {
  readonly refused: string
  readonly fields: readonly { readonly path: string; readonly says: string }[]
}

/** Runs `work`; a refusal becomes data with its status, anything else goes on up. */
export async function orRefused<T>(work: () => Promise<T>) {
  try {
    return await work()
  } catch (error) {
    const refusal = error instanceof Refusal ? error : storageRefusal(error)
    if (!refusal) throw error
    const refused: Refused = { refused: refusal.message, fields: refusal.fields }
    return data(refused, { status: statusOf[refusal.code] })
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

/** For loaders: the change, or the drafts if it was a draft that has been discarded, in whichever order the two came. */
export async function changeOrDrafts(changes: Changes, id: string): Promise<ChangeRecord> {
  if (await changes.wasDiscarded(id)) throw redirect(`/raise?discarded=${id}`)
  return orNotFound(() => changes.get(id))
}
