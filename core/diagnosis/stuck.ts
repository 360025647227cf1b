/** Objects that are to go and do not: a finalizer is not taken off. */
import { type Json, list, record, text } from '../objects'
import { type Looked, nothing } from './causes'
import { conditionsOf, type Evidence, refOfObject } from './facts'
import { looked, own } from './own'

/** Why an object that is to go is still there, once its grace is over. */
export function stuckDeletion(evidence: Evidence, object: Json): Looked {
  const metadata = record(object['metadata'])
  const deleted = Date.parse(text(metadata['deletionTimestamp']))
  const grace = Number(metadata['deletionGracePeriodSeconds'] ?? 30) * 1000
  const finalizers = [
    ...list(metadata['finalizers']),
    ...list(record(object['spec'])['finalizers']),
  ]
  if (Number.isNaN(deleted) || evidence.now < deleted + grace || finalizers.length === 0)
    return nothing
  const remaining = conditionsOf(object).filter(
    ({ type, status }) =>
      /Remaining|DeletionContentFailure|DiscoveryFailure/.test(type) && status === 'True',
  )
  return looked([
    own(object, 'finalizer-stuck', [
      {
        type: 'object',
        about: refOfObject(object),
        at: text(metadata['deletionTimestamp']),
        text: finalizers.map(String).join(', '),
      },
      ...remaining.map(({ fact }) => fact),
    ]),
  ])
}
