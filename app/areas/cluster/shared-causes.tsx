/** What several nodes of a cluster are silent of, with what is proven to help. */
import type { Remedy } from '~/core/changes'
import { DraftChange } from '../../parts/draft-change'
import { Notice } from '../../kit/notice'

export function SharedCauses({
  causes,
}: {
  readonly causes: readonly { readonly says: string; readonly remedies: readonly Remedy[] }[]
}) {
  return causes.map((cause) => (
    <Notice
      key={cause.says}
      action={cause.remedies.slice(0, 1).map(({ says, change }) =>
        'kind' in change ? (
          <DraftChange key={says} kind={change.kind} intent={change.intent} variant="contained">
            {says}
          </DraftChange>
        ) : null,
      )}
    >
      {cause.says} Nothing is restarted or replaced for it.
    </Notice>
  ))
}
