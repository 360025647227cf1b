/** Walks that a drafted cluster is proven by: those that came with a template, and those of another cluster. */
import Button from '@mui/material/Button'
import { useContext } from 'react'
import type { ExpectationView } from '~/core/fleet'
import { expectsOf, type Expect, type RaiseIntent } from '~/core/provisioning'
import { Choice } from '../../kit/choice'
import { countText } from '~/core/units'
import { SheetContext } from './fields'

const endText = (end: object): string => String(Object.values(end)[0])

const walkText = ({ from, to, port, protocol, delivered }: Expect): string =>
  `${endText(from)} ${delivered ? 'reaches' : 'does not reach'} ${endText(to)}, ${port}/${protocol}`

/** Clusters that something is expected of, with what would travel. */
function offered(
  expectations: readonly ExpectationView[],
): readonly { readonly cluster: string; readonly walks: readonly Expect[] }[] {
  const names = expectations.flatMap(({ from, to }) => [from['cluster'], to['cluster']])
  return [...new Set(names)].flatMap((cluster) => {
    const walks = cluster === undefined ? [] : expectsOf(cluster, expectations)
    return cluster === undefined || walks.length === 0 ? [] : [{ cluster, walks }]
  })
}

export function Walks({
  intent,
  expectations,
}: {
  readonly intent: RaiseIntent
  readonly expectations: readonly ExpectationView[]
}) {
  const { set } = useContext(SheetContext)
  const expects = intent.expects ?? []
  const write = (next: readonly Expect[]): void =>
    set('expects', next.length === 0 ? undefined : next)
  const clusters = offered(expectations)
  if (expects.length === 0 && clusters.length === 0) return null
  return (
    <section aria-labelledby="sheet-walks">
      <h2 id="sheet-walks">Proven by walks</h2>
      {expects.length === 0 ? (
        <p className="soft">
          None yet. What is expected of another cluster can be expected of this one, too.
        </p>
      ) : (
        <ul className="sheet-walks">
          {expects.map((expect) => (
            <li key={expect.name}>
              <b>{expect.name}</b> <span className="soft mono">{walkText(expect)}</span>
              <Button
                size="small"
                variant="text"
                aria-label={`Leave out ${expect.name}`}
                onClick={() => write(expects.filter((kept) => kept !== expect))}
              >
                Leave out
              </Button>
            </li>
          ))}
        </ul>
      )}
      {clusters.length === 0 ? null : (
        <Choice
          label="Take the walks of"
          value=""
          empty="a cluster"
          options={clusters.map(({ cluster, walks }) => ({
            value: cluster,
            says: `${cluster}, ${countText(walks.length, 'walk')}`,
          }))}
          onChange={(chosen) => {
            const more = clusters.find(({ cluster }) => cluster === chosen)?.walks ?? []
            write([
              ...expects,
              ...more.filter(({ name }) => !expects.some((expect) => expect.name === name)),
            ])
          }}
          width={240}
        />
      )}
    </section>
  )
}
