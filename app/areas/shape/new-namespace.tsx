/** A namespace that is made with its quota and levels. */

import { dnsLabel } from '~/core/objects/dns-label'
import { useState } from 'react'
import { securityLevels } from '~/core/manifests'
import { useDraft } from '../../parts/draft-change'
import type { Route } from './+types/namespaces'
import Button from '@mui/material/Button'
import { z } from 'zod'
import { ChoiceAt, SchemaForm, TextAt, useSchemaForm } from '../../kit/form'
import { Refused } from '../../kit/notice'
import { Tick } from '../../kit/tick'

const quantity = (what: string) =>
  z.string().regex(/^\d+(\.\d+)?(m|[kMGTPE]i?)?$/, `${what} is written like 4, 500m or 16Gi.`)

const namespaceForm = z.object({
  name: z
    .string()
    .regex(
      dnsLabel,
      'A name is up to 63 lower-case letters, digits and hyphens, and begins and ends with no hyphen.',
    ),
  cpu: quantity('CPU'),
  memory: quantity('Memory'),
  pods: z.string().regex(/^\d{1,6}$/, 'Give a whole number of pods.'),
  level: z.enum(securityLevels),
  group: z.string().regex(/^[\w.:@-]*$/, 'A group is letters, digits and . : @ - _'),
})

const usual: z.infer<typeof namespaceForm> = {
  name: '',
  cpu: '4',
  memory: '16Gi',
  pods: '20',
  level: 'baseline',
  group: '',
}

export function NewNamespace({
  cluster,
  offers,
}: {
  readonly cluster: string
  readonly offers: Route.ComponentProps['loaderData']['offers']
}) {
  const { draft, isBusy, refused } = useDraft()
  const form = useSchemaForm(namespaceForm, usual)
  const [sizes, setSizes] = useState<readonly string[]>([])
  const [classes, setClasses] = useState<readonly string[]>([])
  return (
    <section aria-label="A new namespace" className="new-namespace">
      <h2>A new namespace</h2>
      <SchemaForm
        label="A new namespace"
        form={form}
        onSubmit={async (values) => {
          const { namespaceManifest } = await import('~/core/manifests/namespace-text')
          draft('manifest.apply', {
            cluster,
            text: namespaceManifest({ ...values, sizes, classes }),
          })
        }}
      >
        <TextAt path="name" label="Name" mono />
        <TextAt path="cpu" label="CPU" mono width={90} help="cores" />
        <TextAt path="memory" label="Memory" mono width={100} />
        <TextAt path="pods" label="Pods" mono width={80} />
        <ChoiceAt path="level" label="Pod security" options={securityLevels} width={130} />
        <TextAt path="group" label="Group that rolls out" mono help="may be left out" />
        <Allowed
          title="Machine sizes it may use"
          all={offers.sizes}
          chosen={sizes}
          onChange={setSizes}
        />
        <Allowed
          title="Storage classes it may use"
          all={offers.classes}
          chosen={classes}
          onChange={setClasses}
        />
        <Button type="submit" variant="contained" disabled={isBusy}>
          Draft the namespace
        </Button>
      </SchemaForm>
      <Refused says={refused} />
    </section>
  )
}

/** Ticks for what is allowed; none ticked is no limit. */
export function Allowed({
  title,
  all,
  chosen,
  onChange,
}: {
  readonly title: string
  readonly all: readonly string[]
  readonly chosen: readonly string[]
  readonly onChange: (chosen: readonly string[]) => void
}) {
  if (all.length === 0) return null
  return (
    <fieldset className="ticks">
      <legend>{title}</legend>
      {all.map((name) => (
        <Tick
          key={name}
          label={<span className="mono">{name}</span>}
          checked={chosen.includes(name)}
          onChange={(checked) =>
            onChange(checked ? [...chosen, name] : chosen.filter((otherName) => otherName !== name))
          }
        />
      ))}
      {chosen.length === 0 ? <span className="soft">any</span> : null}
    </fieldset>
  )
}
