/** A translation, made. */
import Button from '@mui/material/Button'
import { z } from 'zod'
import { ChoiceAt, NumberAt, SchemaForm, TextAt, TextsAt, useSchemaForm } from '../../kit/form'
import { Refused } from '../../kit/notice'
import { useDraft } from '../../parts/draft-change'
import { unlessEmpty } from './unless-empty'

const translationForm = z.object({
  name: z.string().trim().min(1, 'Give the translation a name.').max(63, 'At most 63 letters.'),
  priority: z.number('Give a whole number; the smallest decides first.').int().min(0),
  kind: z.enum(['keep', 'translate']),
  from: z.array(z.string()),
  to: z.array(z.string()),
  becomes: z.string(),
})

export function TranslationForm({
  site,
  egress,
}: {
  readonly site: string
  readonly egress: string | null
}) {
  const form = useSchemaForm(translationForm, {
    name: '',
    priority: 50,
    kind: 'keep',
    from: [],
    to: [],
    becomes: egress ?? '',
  })
  const { draft, isBusy, refused } = useDraft()
  return (
    <section className="below-table" aria-label="A new translation">
      <h2>A new translation</h2>
      <SchemaForm
        label="A new translation"
        form={form}
        onSubmit={({ becomes, ...rule }) =>
          draft('wire.translation', {
            site,
            put: [
              {
                ...rule,
                from: unlessEmpty(rule.from),
                to: unlessEmpty(rule.to),
                ...(rule.kind === 'translate' ? { becomes } : {}),
              },
            ],
          })
        }
      >
        <TextAt path="name" label="Name" mono width={150} />
        <NumberAt path="priority" label="Priority" width={90} />
        <ChoiceAt
          path="kind"
          label="Does"
          width={150}
          options={[
            { value: 'keep', says: 'keep the source' },
            { value: 'translate', says: 'translate it' },
          ]}
        />
        <TextsAt path="from" label="From" mono placeholder="all" width={150} />
        <TextsAt path="to" label="To" mono placeholder="all" width={150} />
        {form.watch('kind') === 'translate' ? (
          <TextAt path="becomes" label="Becomes" mono width={150} />
        ) : null}
        <Button type="submit" variant="outlined" disabled={isBusy}>
          Draft the translation
        </Button>
      </SchemaForm>
      <Refused says={refused} />
    </section>
  )
}
