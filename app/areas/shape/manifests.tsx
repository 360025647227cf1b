/** Manifests: written or dropped, checked as they are typed, compared with what lives in the aim, and drafted as a change. */
import { z } from 'zod'
import { useEffect, useMemo, useRef, useState } from 'react'
import { useFetcher } from 'react-router'
import { writeYaml } from '~/core/objects'
import { clusterOf } from '~/core/fleet'
import { objectKey, objectText, parseManifests, tidied, writtenForm } from '~/core/manifests'
import { fieldText } from '~/core/objects'
import { countText } from '~/core/units'
import { askedJson } from '../asked'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { StateText } from '../../parts/state'
import { To } from '../../parts/to'
import { orRefused } from '../refusals'
import { manifestsIn } from '../../parts/manifest-files'
import { LayersView } from './layers-view'
import { type Preview, PreviewList } from './preview'
import { aimedCluster, ShapeTabs } from './tabs'
import './shape.css'
import { fleetAsked } from '../moment'
import type { Route } from './+types/manifests'
import { ChooseCluster } from '../../parts/choose-cluster'
import { Notice } from '../../kit/notice'
import { YamlField } from '../../parts/yaml-field'

export const meta: Route.MetaFunction = () => [{ title: 'Manifests · Gyrarch' }]

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const view = await fleet.view()
  const search = new URL(request.url).searchParams
  const name = aimedCluster(request)
  const cluster = name === null ? undefined : clusterOf(view, name)
  const key = search.get('object')
  const objects = cluster && key !== null ? await fleet.objectsOf(cluster.name) : null
  const named = objects?.find((object) => objectKey(object) === key)
  const live = named?.apiVersion === undefined ? null : writtenForm(named)
  return {
    cluster: cluster
      ? { name: cluster.name, answers: cluster.apiAnswers, guarded: cluster.guarded }
      : null,
    clusters: view.clusters.map((eachCluster) => eachCluster.name),
    live: live
      ? {
          key: key ?? '',
          text: writeYaml(tidied(live)),
        }
      : null,
    missing: key !== null && !live ? key : null,
    layers: search.get('view') === 'layers' ? await gyrarch.layers.list() : null,
  }
}

const valueText = (value: unknown): string => {
  if (value === undefined) return '–'
  if (typeof value === 'string') return value
  return JSON.stringify(value)
}

const acting = z.object({
  do: z.string().max(40).optional(),
  cluster: z.string().max(253).default(''),
  text: z.string().default(''),
  manager: z.string().max(128).optional(),
  name: z.string().max(80).default(''),
})

export async function action({ request, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  return orRefused(async (): Promise<Preview> => {
    const wanted = await askedJson(request, acting)
    if (wanted.do === 'keep-layers') {
      await gyrarch.layers.keep(wanted.name, wanted.text)
      return { kept: wanted.name }
    }
    const draft = gyrarch.changes.read('manifest.apply', {
      cluster: wanted.cluster,
      text: wanted.text,
      manager: wanted.manager,
    })
    const { findings, changes } = await gyrarch.judges.applied(draft)
    return {
      findings: findings.map(({ key, level, says }) => ({ key, level, says })),
      changes: changes.map((change) => ({
        key: change.key,
        says: objectText(change.object),
        kind: change.kind,
        fields:
          change.kind === 'make'
            ? []
            : change.fields.slice(0, 60).map((field) => ({
                path: fieldText(field.path),
                live: valueText(field.live),
                wanted: valueText(field.wanted),
                owner: field.owner,
                conflict: change.conflicts.includes(field),
              })),
      })),
    }
  })
}

const glyphs = { stop: 'broken', caution: 'strained', note: 'unknown' } as const

export default function Manifests({ loaderData }: Route.ComponentProps) {
  const { cluster, clusters, live, missing, layers } = loaderData
  if (layers) return <LayersView files={layers} aim={cluster?.name ?? null} />
  return (
    <Editor
      key={`${live?.key ?? ''}`}
      cluster={cluster}
      clusters={clusters}
      live={live}
      missing={missing}
    />
  )
}

type Data = Pick<Route.ComponentProps['loaderData'], 'cluster' | 'clusters' | 'live' | 'missing'>
type Written = ReturnType<typeof parseManifests>

/** `Kind namespace/name` of the live object that is edited. */
function titleOf(live: Data['live']): string {
  if (!live) return 'Manifests'
  const [kind = '', ...place] = live.key.split('/').filter((part) => part !== '')
  return `${kind} ${place.join('/')}`
}

function writtenText(text: string, { documents, problems }: Written): string {
  if (text.trim() === '') return 'write, paste or drop files'
  const wrong = problems.length > 0 ? `, ${countText(problems.length, 'problem')}` : ''
  return `${countText(documents.length, 'object')}${wrong}`
}

/** What the cluster has against what is written, as it is being written. */
function usePreview(cluster: string | null, text: string, manager: string): Preview | undefined {
  const fetcher = useFetcher<Preview>()
  const { submit } = fetcher
  const sent = useRef('')
  useEffect(() => {
    const body = JSON.stringify({ cluster, text, manager })
    if (cluster === null || text.trim() === '' || body === sent.current) return
    const timer = setTimeout(() => {
      sent.current = body
      void submit(body, { method: 'post', encType: 'application/json' })
    }, 400)
    return () => clearTimeout(timer)
  }, [cluster, text, manager, submit])
  return fetcher.data
}

function Remove({ cluster, written }: { readonly cluster: string; readonly written: Written }) {
  const objects = written.documents.slice(0, 1).map(({ object }) => {
    const { apiVersion, kind, metadata } = object
    const { name, namespace } = metadata
    return { apiVersion, kind, ...(namespace === undefined ? {} : { namespace }), name }
  })
  return (
    <DraftChange
      kind="manifest.remove"
      intent={{ cluster, objects }}
      disabled={objects.length === 0}
    >
      Draft removing it
    </DraftChange>
  )
}

/** What stands against what is written, and the draft of it. */
function AimReason({
  cluster,
  isLive,
  written,
  findings,
  intent,
}: {
  readonly cluster: NonNullable<Data['cluster']>
  readonly isLive: boolean
  readonly written: Written
  readonly findings: NonNullable<Preview['findings']>
  readonly intent: { readonly text: string; readonly manager: string }
}) {
  const stops = findings.filter((finding) => finding.level === 'stop').length
  return (
    <>
      <h2>
        For <span className="mono">{cluster.name}</span>
      </h2>
      <p className="soft">
        {cluster.guarded
          ? 'Guarded: its name is typed before it runs.'
          : 'What is written here goes to the aim and nowhere else.'}
      </p>
      <ul className="findings-short" aria-label="Findings">
        {findings.map((finding) => (
          <li key={finding.key}>
            <StateText state={glyphs[finding.level]}>{finding.level}</StateText>
            <p>{finding.says}</p>
          </li>
        ))}
      </ul>
      <div className="acts">
        <DraftChange
          kind="manifest.apply"
          intent={{ cluster: cluster.name, ...intent }}
          variant="contained"
          disabled={written.documents.length === 0}
        >
          {stops > 0 ? `Draft it and settle ${countText(stops, 'stop')}` : 'Draft applying it'}
        </DraftChange>
        {isLive ? <Remove cluster={cluster.name} written={written} /> : null}
      </div>
      <p>
        <To path="/shape/manifests" query={{ view: 'layers' }}>
          Layered files
        </To>
      </p>
    </>
  )
}

function Editor({ cluster, clusters, live, missing }: Data) {
  const [text, setText] = useState(live?.text ?? '')
  const manager = live ? 'hand' : 'gyrarch'
  const preview = usePreview(cluster?.name ?? null, text, manager)
  const written = useMemo(() => parseManifests(text), [text])
  const drop = (files: readonly File[]): void =>
    void manifestsIn([...files]).then((dropped) =>
      setText(text.trim() === '' ? dropped : `${text.trimEnd()}\n---\n${dropped}`),
    )
  return (
    <Page
      title={titleOf(live)}
      beside={<span className="soft">{writtenText(text, written)}</span>}
      reason={
        cluster ? (
          <AimReason
            cluster={cluster}
            isLive={Boolean(live)}
            written={written}
            findings={preview?.findings ?? []}
            intent={{ text, manager }}
          />
        ) : (
          <p className="soft">
            Manifests are checked against the cluster they go to: what exists there, what its API
            takes, who wrote the fields that would change.
          </p>
        )
      }
    >
      <ShapeTabs here="/shape/manifests" />
      {missing === null ? null : <Notice>There is no {missing} any more.</Notice>}
      {cluster ? null : (
        <ChooseCluster
          clusters={clusters}
          path="/shape/manifests"
          title="Manifests go to one cluster"
          says="Point at the one they are meant for. What you write below is kept meanwhile and read for what is wrong in itself."
        />
      )}
      <p>
        <To path="/shape/manifests" query={{ view: 'layers' }}>
          Layered files
        </To>{' '}
        <span className="soft">
          keep what several environments share in one place, and what differs beside it.
        </span>
      </p>
      <div
        className="manifest-page"
        onDragOver={(event) => event.preventDefault()}
        onDrop={(event) => {
          event.preventDefault()
          drop([...event.dataTransfer.files])
        }}
      >
        <YamlField value={text} label="Manifests" height="340px" manifests onChange={setText} />
        <PreviewList preview={preview} />
      </div>
    </Page>
  )
}
