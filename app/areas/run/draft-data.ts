/** What a page needs of the kinds of change to show a draft or a set: told by the server, which knows every kind. */
import { compositeOf, kindNamed } from '~/core/kinds'
import { setIntent, type SetIntent, setName } from '~/core/sets'
import type { ChangeRecord } from '~/server/changes/changes'
import { describedKind } from '~/server/changes/described'
import { draftKey } from './draft-key'

export interface DraftData {
  /** The form of a draft that is no set. */
  readonly form: { readonly title: string; readonly schema: unknown } | null
  /** What a drafted set asks for. */
  readonly set: SetIntent | null
  /** What a change that has begun is made of, in order. */
  readonly members: readonly { readonly key: string; readonly window: string | null }[] | null
  /** What the changes of a set are called, by their keys. */
  readonly labels: Readonly<Record<string, string>>
}

function labelOf(kind: string, intent: unknown): string {
  const read = kindNamed(kind)?.read(intent)
  return read?.ok === true ? read.draft.label : kind
}

export function draftDataOf({
  kind,
  intent,
  state,
}: Pick<ChangeRecord, 'kind' | 'intent' | 'state'>): DraftData {
  const composite = compositeOf(kind, intent)?.set ?? null
  const isDraft = state === 'draft'
  const isForm = isDraft && kind !== setName
  const kindOfForm = isForm ? kindNamed(kind) : undefined
  const shown = isForm ? null : composite
  return {
    form: kindOfForm ? describedKind(kindOfForm) : null,
    set: isDraft && kind === setName ? setIntent.parse(intent) : null,
    members: isDraft
      ? null
      : (shown?.drafts.map((draft) => ({ key: draftKey(draft), window: draft.window })) ?? null),
    labels: Object.fromEntries(
      (shown?.drafts ?? []).map((draft) => [draftKey(draft), labelOf(draft.kind, draft.intent)]),
    ),
  }
}
