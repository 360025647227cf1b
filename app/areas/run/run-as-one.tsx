/** Several drafts that are to run as one. */
import Button from '@mui/material/Button'
import { useState } from 'react'
import { useFetcher } from 'react-router'

/** Drafts that are chosen to run as one. */
export function RunAsOne({
  drafts,
}: {
  readonly drafts: readonly { readonly id: string; readonly title: string }[]
}) {
  const [chosen, setChosen] = useState<readonly string[]>([])
  const fetcher = useFetcher<{ refused?: string | null }>()
  if (drafts.length < 2) return null
  return (
    <div>
      <h3>Run several as one</h3>
      <ul className="facts">
        {drafts.slice(0, 30).map((draft) => {
          const place = chosen.indexOf(draft.id)
          return (
            <li key={draft.id}>
              <span>{draft.title}</span>
              <Button
                size="small"
                variant={place < 0 ? 'outlined' : 'contained'}
                aria-pressed={place >= 0}
                aria-label={`${draft.title}, in the set`}
                onClick={() =>
                  setChosen(
                    place < 0 ? [...chosen, draft.id] : chosen.filter((id) => id !== draft.id),
                  )
                }
              >
                {place < 0 ? 'add' : String(place + 1)}
              </Button>
            </li>
          )
        })}
      </ul>
      <div className="acts">
        <Button
          variant="contained"
          disabled={chosen.length < 2 || fetcher.state !== 'idle'}
          onClick={() =>
            void fetcher.submit(JSON.stringify({ set: chosen }), {
              method: 'post',
              encType: 'application/json',
            })
          }
        >
          Draft them as one
        </Button>
      </div>
      {fetcher.data?.refused ? <p className="soft">{fetcher.data.refused}</p> : null}
    </div>
  )
}
