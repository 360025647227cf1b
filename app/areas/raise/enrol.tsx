/** A cluster that exists already joins the fleet: how Gyrarch gets there, what it reads, and what that takes. */
import Button from '@mui/material/Button'
import { useMemo } from 'react'
import { useFormContext } from 'react-hook-form'
import { z } from 'zod'
import { contextsOf, readAccessFile, rolesText, withContext } from '~/core/reach'
import { countText } from '~/core/units'
import { shown } from '~/server/connectors/open-api/resources'
import { Page } from '../../frame/page'
import { Choice } from '../../kit/choice'
import { Drop } from '../../kit/drop'
import { SchemaForm, TextAt, TextsAt, ToggleAt, useSchemaForm } from '../../kit/form'
import { Refused } from '../../kit/notice'
import { labelsOf } from '../../kit/labels-field'
import { CopyButton } from '../../parts/copy-button'
import { useDraft } from '../../parts/draft-change'
import type { Route } from './+types/enrol'
import './enrol.css'

export const meta: Route.MetaFunction = () => [{ title: 'Enrol a cluster · Gyrarch' }]

/** What is read, and the rights that takes, as whoever runs the cluster grants them. */
export function loader() {
  return { shown, roles: rolesText(shown) }
}

const fileLimit = 1024 * 1024
const ways = ['inbound', 'outbound'] as const
const enrolForm = z.object({
  name: z.string().min(1, 'Give it a name.').max(253, 'Give at most 253 characters.'),
  way: z.enum(ways),
  accessFile: z.string().max(fileLimit, 'Give a file of at most 1 MiB.'),
  labels: z.array(z.string().max(400, 'Give at most 400 characters to a label.')),
})

/** The file that was dropped or pasted: where it leads, and the contexts it offers. */
function AccessFile() {
  const { watch, setValue } = useFormContext<z.infer<typeof enrolForm>>()
  const text = watch('accessFile')
  const change = (changed: string): void =>
    setValue('accessFile', changed, { shouldDirty: true, shouldValidate: true })
  const contexts = useMemo(() => contextsOf(text), [text])
  const read = useMemo(() => readAccessFile(text), [text])
  return (
    <div className="enrol-file">
      <Drop
        what="access file"
        accept={{ 'application/yaml': ['.yaml', '.yml', '.conf', '.kubeconfig'] }}
        maxBytes={fileLimit}
        onText={change}
      />
      <TextAt path="accessFile" label="Or paste it" rows={6} mono width="100%" />
      {contexts.names.length > 0 ? (
        <Choice
          label="Context"
          value={contexts.current}
          options={contexts.names}
          onChange={(context) => change(withContext(text, context))}
          width={280}
        />
      ) : null}
      {read.ok ? (
        <p>
          It leads to <b className="mono">{read.way.server}</b>, signing in with a{' '}
          {read.way.signIn.kind}.
        </p>
      ) : null}
    </div>
  )
}

export default function Enrol({ loaderData }: Route.ComponentProps) {
  const { draft, isBusy, refused } = useDraft()
  const form = useSchemaForm(enrolForm, { name: '', way: 'inbound', accessFile: '', labels: [] })
  const way = form.watch('way')
  const { roles } = loaderData
  const lists = Object.values(loaderData.shown).flat()
  return (
    <Page
      title="Enrol a cluster"
      beside={<span className="soft">one that exists already, wherever it runs</span>}
      reason={
        <>
          <h2>What Gyrarch reads there</h2>
          <p>
            It lists and watches {countText(lists.length, 'kind')} of objects, and reads logs when
            you ask for them. It reads no Secret. Outside a run of yours it writes nothing.
          </p>
          <p className="soft mono enrol-lists">{lists.join(', ')}</p>
          <h3>Rights</h3>
          <p>
            To read is enough to begin with. The second role lets runs of yours apply manifests,
            roll workloads, cordon and drain.
          </p>
          <div className="acts">
            <CopyButton text={() => roles.read}>Copy the role to read</CopyButton>
            <CopyButton text={() => roles.act}>Copy the role to act</CopyButton>
          </div>
          <p className="soft">
            What stands under the cluster (machines, networks, disks, prices) is not known through
            its API: such views leave it out and say so.
          </p>
        </>
      }
    >
      <SchemaForm
        label="Enrol a cluster"
        className="enrol"
        form={form}
        onSubmit={({ name, accessFile, labels }) =>
          draft('cluster.enrol', {
            name,
            reach: way === 'inbound' ? { kind: way, accessFile } : { kind: way },
            labels: labelsOf(labels),
          })
        }
      >
        <TextAt path="name" label="Name" mono width={280} />
        <div>
          <ToggleAt path="way" label="How Gyrarch gets there" options={ways} />
          <p className="soft">
            {way === 'inbound'
              ? 'Gyrarch dials its API with an access file.'
              : 'Its agent dials Gyrarch: for a cluster behind somebody else’s network. What to start there is shown once the run waits for it.'}
          </p>
        </div>
        {way === 'inbound' ? <AccessFile /> : null}
        <TextsAt path="labels" label="Labels" help="like team=orchids" />
        <div className="acts">
          <Button type="submit" variant="contained" disabled={isBusy}>
            Draft enrolling it
          </Button>
          <span className="soft">Nobody is dialled before you run the draft.</span>
        </div>
        <Refused says={refused} />
      </SchemaForm>
    </Page>
  )
}
