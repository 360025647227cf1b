/** A question that is asked beside a walk or a finding: since when is it so, and what turned it. */
import Button from '@mui/material/Button'
import { useFetcher } from 'react-router'
import type { SinceAnswer } from '../areas/since'
import { To } from './to'
import { clockText } from './when'

export function SinceWhen({ ask }: { readonly ask: Readonly<Record<string, string>> }) {
  const query = new URLSearchParams(ask).toString()
  // Another walk or finding is another question: its answer is not that of the one before.
  const fetcher = useFetcher<SinceAnswer>({ key: `since ${query}` })
  const { data, state } = fetcher
  if (!data)
    return (
      <Button
        variant="text"
        size="small"
        loading={state !== 'idle'}
        onClick={() => void fetcher.load(`/do/since?${query}`)}
      >
        Since when?
      </Button>
    )
  if (data.refused !== null)
    return (
      <p className="soft" role="status">
        {data.refused}
      </p>
    )
  return (
    <div className="since" role="status">
      <p>
        {data.was === null
          ? 'It has been so for as long as is known.'
          : `It has been so since ${clockText(data.since)}; before that: ${data.was}.`}
      </p>
      {data.was !== null && data.changes.length === 0 ? (
        <p className="soft">No run of Gyrarch did anything between the two looks.</p>
      ) : null}
      {data.changes.map((change) => (
        <p key={change.id}>
          <To path={`/changes/${change.id}`}>{change.label}</To> ran then.
        </p>
      ))}
    </div>
  )
}
