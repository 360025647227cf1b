/** Before a text is applied: each object on its way through the stages, with the verdict of each. */
import type { ObjectVerdicts, Outcome, Stage } from '~/core/manifests'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { StateGlyph } from '../../parts/state'

const heads: Readonly<Record<Stage, string>> = {
  api: 'API',
  registry: 'registry',
  place: 'place',
  policy: 'policy',
  address: 'address',
  walk: 'ways',
}

const glyphs: Readonly<Record<Outcome, React.ComponentProps<typeof StateGlyph>['state'] | null>> = {
  passes: 'well',
  caution: 'strained',
  stops: 'broken',
  open: 'unknown',
  none: null,
}

const titles: Readonly<Record<Outcome, string>> = {
  passes: 'passes',
  caution: 'caution',
  stops: 'stopped',
  open: 'not asked yet',
  none: '',
}

/** The row names the object already. */
const ownText = (says: string, object: string): string =>
  says.startsWith(`${object}: `) ? says.slice(object.length + 2) : says

export function Verdicts({ verdicts }: { readonly verdicts: readonly ObjectVerdicts[] }) {
  if (verdicts.length === 0) return null
  return (
    <section aria-label="Verdicts" className="verdicts">
      <h2>Object by object</h2>
      <PlainTable
        label="Verdict of each stage on each object"
        heads={['object', ...Object.values(heads)]}
        className="verdict-table"
      >
        {verdicts.map(({ key, object, line, verdicts: row }) => (
          <Row key={key}>
            <Cell component="th" scope="row">
              <span className="mono">{object}</span>
              <br />
              <span className="soft">line {line}</span>
            </Cell>
            {row.map(({ stage, outcome, says }) => {
              const glyph = glyphs[outcome]
              return (
                <Cell key={stage}>
                  {glyph === null ? (
                    <span className="soft" aria-label="does not go through this">
                      –
                    </span>
                  ) : (
                    <>
                      <StateGlyph state={glyph} title={titles[outcome]} />{' '}
                      <span className="verdict-says">{ownText(says, object)}</span>
                    </>
                  )}
                </Cell>
              )
            })}
          </Row>
        ))}
      </PlainTable>
    </section>
  )
}
