/** Webhooks and their configurations. */
import { records } from '../objects'
import { type Evidence, type Ref, refOf, refOfObject } from './facts'

/** The configuration of the webhook with a name; the webhook itself where none is listed. */
export function webhookRef(evidence: Evidence, name: string | null): Ref {
  for (const kind of ['ValidatingWebhookConfiguration', 'MutatingWebhookConfiguration'])
    for (const configuration of evidence.ofKind(kind))
      if (records(configuration['webhooks']).some((webhook) => webhook['name'] === name))
        return refOfObject(configuration)
  return refOf('ValidatingWebhookConfiguration', '', name ?? 'unknown')
}
