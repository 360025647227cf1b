/** A change rehearsed on a cluster that Gyrarch does not reach: what its API lists is pasted, and nothing of it is kept. */
import Button from '@mui/material/Button'
import LinearProgress from '@mui/material/LinearProgress'
import { useState } from 'react'
import { useFetcher } from 'react-router'
import { z } from 'zod'
import { bytesText, durationText } from '~/core/units'
import type { PastedRehearsal } from '~/server/rehearsal/pasted'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Choice } from '../../kit/choice'
import { Drop } from '../../kit/drop'
import { Field } from '../../kit/field'
import { Refused } from '../../kit/notice'
import { WordsField } from '../../kit/words-field'
import { StateGlyph } from '../../parts/state'
import { YamlField } from '../../parts/yaml-field'
import { manifestsIn } from '../../parts/manifest-files'
import { askedJson } from '../asked'
import { orRefused } from '../refusals'
import { Film } from '../run/film'
import { asPlannedText, Differences, RehearsedSteps } from '../run/rehearsal'
import { RenewTabs } from './tabs'
import type { Route } from './+types/rehearse'
import './renew.css'

export const meta: Route.MetaFunction = () => [{ title: 'Rehearse · Gyrarch' }]

/** As much as an export of some hundred nodes. */
const mostBytes = 7 * 1024 * 1024

const asked = z.strictObject({
  text: z.string().max(mostBytes, 'Leave out what is not needed: at most 7 MiB are read.'),
  kind: z.string().max(80),
  intent: z.record(z.string(), z.unknown()),
})

export async function loader({ context }: Route.LoaderArgs) {
  return { now: (await context.get(gyrarchContext).fleet.view()).now }
}

export async function action({ request, context }: Route.ActionArgs) {
  const { compute, fleet } = context.get(gyrarchContext)
  return orRefused(async () => {
    const { text, kind, intent } = await askedJson(request, asked)
    const { now } = await fleet.view()
    const told = await compute.run('rehearse', { objects: text, kind, intent, now }, request.signal)
    return { refused: null, told: told as PastedRehearsal }
  })
}

const whats = [
  { value: 'node.drain', says: 'drain nodes' },
  { value: 'node.cordon', says: 'close a node to new pods' },
  { value: 'manifest.apply', says: 'apply manifests' },
  { value: 'manifest.remove', says: 'remove objects' },
  { value: 'workload.restart', says: 'restart a workload' },
] as const
type What = (typeof whats)[number]['value']

interface Wanted {
  readonly nodes: readonly string[]
  readonly manifests: string
  /** `Kind/namespace/name` */
  readonly workload: string
}

function intentOf(what: What, { nodes, manifests, workload }: Wanted): Record<string, unknown> {
  if (what === 'node.drain') return { nodes }
  if (what === 'node.cordon') return { node: nodes[0] ?? '' }
  if (what === 'workload.restart') {
    const [kind = '', namespace = '', name = ''] = workload.split('/')
    return { kind, namespace, name }
  }
  return { text: manifests }
}

function Asked({
  what,
  wanted,
  onChange,
}: {
  readonly what: What
  readonly wanted: Wanted
  readonly onChange: (wanted: Wanted) => void
}) {
  if (what === 'node.drain' || what === 'node.cordon')
    return (
      <WordsField
        label={what === 'node.drain' ? 'Nodes' : 'Node'}
        mono
        value={wanted.nodes}
        onChange={(nodes) => onChange({ ...wanted, nodes })}
        width={360}
      />
    )
  if (what === 'workload.restart')
    return (
      <Field
        label="Workload"
        mono
        placeholder="Deployment/market/price-feed"
        value={wanted.workload}
        onChange={(workload) => onChange({ ...wanted, workload })}
        width={360}
      />
    )
  return (
    <YamlField
      label="What is written"
      value={wanted.manifests}
      onChange={(manifests) => onChange({ ...wanted, manifests })}
      manifests
      height="160px"
    />
  )
}

function Told({ told }: { readonly told: PastedRehearsal }) {
  const { findings, plan, rehearsal, against } = told
  return (
    <section aria-label="How it goes" className="rehearsal">
      <h2>How it goes</h2>
      {findings.length === 0 ? null : (
        <ul className="facts">
          {findings.map(({ key, level, says }) => (
            <li key={key}>
              <span>
                <StateGlyph state={glyphs[level]} title={level} /> {says}
              </span>
            </li>
          ))}
        </ul>
      )}
      {rehearsal && plan ? (
        <>
          <p>
            It took {durationText(rehearsal.seconds)}; {durationText(plan.seconds.likely)} is
            likely, {durationText(plan.seconds.worst)} the worst.
          </p>
          <Differences says={against} none={asPlannedText(rehearsal)} />
          <Film rehearsal={rehearsal} />
          <RehearsedSteps plan={plan} rehearsal={rehearsal} ran={null} />
        </>
      ) : (
        <p>Nothing was rehearsed: what stops it stands above.</p>
      )}
    </section>
  )
}

/** What the cluster lists: a file of it, or pasted. A file is told by its name and size: it is long. */
function Export({
  text,
  onChange,
}: {
  readonly text: string
  readonly onChange: (text: string) => void
}) {
  const [file, setFile] = useState<string | null>(null)
  const take = async (dropped: File): Promise<void> => {
    onChange(await manifestsIn([dropped]))
    setFile(`${dropped.name}, ${bytesText(dropped.size)}`)
  }
  return (
    <section className="audit-text" aria-label="The cluster">
      <Drop
        what="file of objects"
        accept={{ 'application/yaml': ['.yaml', '.yml'], 'application/json': ['.json'] }}
        maxBytes={mostBytes}
        onFile={(dropped) => void take(dropped)}
      />
      {file === null ? (
        <YamlField
          label="Objects of the cluster"
          value={text}
          onChange={onChange}
          manifests={false}
          height="180px"
        />
      ) : (
        <p>
          <b className="mono">{file}</b>{' '}
          <Button
            variant="text"
            size="small"
            onClick={() => {
              setFile(null)
              onChange('')
            }}
          >
            Paste instead
          </Button>
        </p>
      )}
    </section>
  )
}

const glyphs = { stop: 'broken', caution: 'strained', note: 'well' } as const

export default function RehearsePage() {
  const [text, setText] = useState('')
  const [what, setWhat] = useState<What>('node.drain')
  const [wanted, setWanted] = useState<Wanted>({ nodes: [], manifests: '', workload: '' })
  const fetcher = useFetcher<{ refused: string | null; told?: PastedRehearsal }>()
  const isBusy = fetcher.state !== 'idle'
  const told = isBusy ? undefined : fetcher.data?.told
  return (
    <Page
      title="Rehearse"
      beside={<span className="soft">on a cluster that is pasted</span>}
      reason={
        <>
          <h2>A cluster of one’s own, without reaching it</h2>
          <p>
            What its API lists is made a model of, and the change is run through that. Nothing of it
            is kept, and nothing outside is touched.
          </p>
          <p className="soft">
            Export nodes, pods, workloads, budgets and claims of every namespace as one list, in
            YAML or JSON. What they do not say (registries, sites, prices) is taken to be well.
          </p>
        </>
      }
    >
      <RenewTabs here="/renew/rehearse" />
      <div className="renew-page">
        <Export text={text} onChange={setText} />
        <div className="ask-form">
          <Choice
            label="What is done"
            value={what}
            options={whats}
            onChange={(next) => setWhat(whats.find(({ value }) => value === next)?.value ?? what)}
            width={230}
            unfolds
          />
          <Asked what={what} wanted={wanted} onChange={setWanted} />
          <Button
            variant="contained"
            disabled={text.trim() === '' || isBusy}
            onClick={() =>
              void fetcher.submit(
                JSON.stringify({ text, kind: what, intent: intentOf(what, wanted) }),
                { method: 'post', encType: 'application/json' },
              )
            }
          >
            Rehearse
          </Button>
        </div>
        {isBusy ? <LinearProgress aria-label="Being rehearsed" /> : null}
        <Refused says={isBusy ? null : fetcher.data?.refused} />
        {told ? <Told told={told} /> : null}
      </div>
    </Page>
  )
}
