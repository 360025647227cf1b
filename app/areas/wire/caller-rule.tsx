/** A rule that lists a caller, begun with what it was seen to ask. */
import { useState } from 'react'
import { listText } from '~/core/units'
import { Field } from '../../kit/field'
import { DraftChange } from '../../parts/draft-change'
import type { Call } from './call'

export function CallerRule({ cluster, cell }: { readonly cluster: string; readonly cell: Call }) {
  // Begun with what it is seen to ask.
  const [methods, setMethods] = useState(cell.asks?.split(' ')[0] ?? '')
  const [paths, setPaths] = useState(cell.asks?.split(' ')[1] ?? '')
  const [namespace = '', service = ''] = cell.service.split('/')
  const list = (text: string): string[] => text.split(/[\s,]+/).filter((name) => name !== '')
  const requests =
    methods.trim() === '' && paths.trim() === ''
      ? undefined
      : [
          {
            ...(methods.trim() === '' ? {} : { methods: list(methods.toUpperCase()) }),
            ...(paths.trim() === '' ? {} : { paths: list(paths) }),
          },
        ]
  if (cell.account === null) return null
  return (
    <section aria-label="Draft a caller rule">
      <h3>
        {cell.listed.length > 0
          ? `Listed by ${listText(cell.listed, 2)}; list it for`
          : 'List this caller'}
      </h3>
      <div className="wire-form">
        <Field label="Methods" mono value={methods} placeholder="all" onChange={setMethods} />
        <Field label="Paths" mono value={paths} placeholder="/" onChange={setPaths} />
      </div>
      <DraftChange
        kind="wire.callers"
        intent={{
          cluster,
          namespace,
          rule: {
            name: `${service}-${cell.account}`.slice(0, 63),
            service,
            callers: [
              {
                serviceAccount: cell.account,
                ...(cell.namespace === namespace ? {} : { namespace: cell.namespace }),
              },
            ],
            ...(requests ? { requests } : {}),
          },
        }}
        variant="contained"
      >
        Draft the rule
      </DraftChange>
    </section>
  )
}
