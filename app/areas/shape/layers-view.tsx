/** Layered files: the file, an environment rendered with the layer of each line, environments compared, and drift against what lives. */
import Button from '@mui/material/Button'
import { useEffect, useMemo, useState } from 'react'
import { useFetcher } from 'react-router'
import { compareLayers, layerLines, readLayers, renderedText, renderLayers } from '~/core/manifests'
import { fieldText } from '~/core/objects'
import { countText } from '~/core/units'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { To } from '../../parts/to'
import { type Preview, PreviewList } from './preview'
import { ShapeTabs } from './tabs'
import { Choice } from '../../kit/choice'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { Toggle } from '../../kit/toggles'
import { Notice } from '../../kit/notice'
import { YamlField } from '../../parts/yaml-field'

const valueText = (value: unknown): string => {
  if (value === undefined) return '–'
  if (typeof value === 'string') return value
  return JSON.stringify(value)
}

type Files = readonly { readonly name: string; readonly text: string }[]
type Tab = 'file' | 'rendered' | 'compared' | 'drift'
type Rendering = ReturnType<typeof renderLayers>

/** The file that is open, and the environments chosen in it. */
function useFile(files: Files, aim: string | null) {
  const [name, setName] = useState(files[0]?.name ?? 'layers')
  const [text, setText] = useState(files[0]?.text ?? 'layers: 1\nbase: []\nenvironments: {}\n')
  const read = useMemo(() => readLayers(text), [text])
  const environments = useMemo(() => (read.ok ? Object.keys(read.file.environments) : []), [read])
  const [chosen, setChosen] = useState<string | null>(null)
  const [picked, setAgainst] = useState<string | null>(null)
  const among = (candidate: string | null): string | null =>
    candidate !== null && environments.includes(candidate) ? candidate : null
  const environment = among(chosen) ?? environments[0] ?? null
  const against =
    among(picked) ?? environments.find((candidate) => candidate !== environment) ?? null
  const own = read.ok && environment !== null ? read.file.environments[environment] : undefined
  return {
    name,
    text,
    read,
    environments,
    environment,
    against,
    cluster: own?.cluster ?? aim,
    saved: files.find((file) => file.name === name)?.text === text,
    setText,
    setChosen,
    setAgainst,
    open: (wanted: string): void => {
      const file = files.find((candidate) => candidate.name === wanted)
      if (!file) return
      setName(file.name)
      setText(file.text)
    },
  }
}

type File = ReturnType<typeof useFile>

/** What reading and rendering say, the environment, and what can be done with it. */
function FileReason({
  file,
  rendered,
  rendering,
  manager,
}: {
  readonly file: File
  readonly rendered: Rendering | null
  readonly rendering: string
  readonly manager: string
}) {
  const { name, text, read, environments, environment, cluster, saved, setChosen } = file
  const keep = useFetcher<{ kept?: string; refused?: string }>()
  return (
    <>
      <h2 className="mono">{name}</h2>
      {read.ok ? (
        <p>
          {countText(read.file.base.length, 'object')} in the base,{' '}
          {countText(environments.length, 'environment')}.
        </p>
      ) : (
        <Notice>{read.says}</Notice>
      )}
      {rendered && !rendered.ok ? <Notice>{rendered.says}</Notice> : null}
      <Choice
        label="Environment"
        value={environment ?? ''}
        options={environments}
        onChange={setChosen}
      />
      <div className="acts" style={{ marginTop: 8 }}>
        <DraftChange
          kind="manifest.apply"
          intent={{ cluster: cluster ?? '', text: rendering, manager }}
          variant="contained"
          disabled={rendering === '' || cluster === null}
        >
          {cluster === null ? 'Draft applying it' : `Draft applying it to ${cluster}`}
        </DraftChange>
        <Button
          variant="outlined"
          disabled={saved || !read.ok || keep.state !== 'idle'}
          onClick={() =>
            void keep.submit(JSON.stringify({ do: 'keep-layers', name, text }), {
              method: 'post',
              encType: 'application/json',
            })
          }
        >
          Keep the file
        </Button>
      </div>
      <p role="status" className="soft">
        {keep.data?.refused ?? (saved ? 'kept' : 'not kept yet')}
      </p>
      <p className="soft">
        Its fields are written as {manager}: an edit by hand shows as drift, and is settled field by
        field in the draft.
      </p>
      <p>
        <To path="/shape/manifests">Single manifests</To>
      </p>
    </>
  )
}

/** Whether a line is the environment’s own, the base’s, or only holds others together. */
function layerOf(from: string | null, environment: string | null): 'own' | 'base' | 'none' {
  if (from === environment) return 'own'
  return from === null ? 'none' : 'base'
}

function RenderedLines({
  rendered,
  environment,
}: {
  readonly rendered: Rendering | null
  readonly environment: string | null
}) {
  if (!rendered?.ok) return null
  return rendered.objects.map((object, i) => (
    <pre key={i} className="layer-lines" aria-label={`Rendered for ${environment ?? 'the base'}`}>
      {layerLines(object).map((line, l) => (
        <div key={l} data-layer={layerOf(line.from, environment)}>
          <span className="layer-of">{line.from ?? ''}</span>
          {line.text}
        </div>
      ))}
    </pre>
  ))
}

/** Two environments, field by field. */
function Compared({ file }: { readonly file: File }) {
  const { read, environments, environment, against, setAgainst } = file
  const compared = useMemo(
    () => (read.ok ? compareLayers(read.file, environment, against) : []),
    [read, environment, against],
  )
  return (
    <>
      <p>
        <b>{environment ?? 'base'}</b> against{' '}
        <Choice
          label="Compared with"
          hideLabel
          value={against ?? ''}
          options={environments}
          onChange={setAgainst}
        />
      </p>
      {typeof compared === 'string' ? (
        <Notice>{compared}</Notice>
      ) : (
        <PlainTable
          label="Fields that differ"
          heads={['object', 'field', environment ?? 'base', against ?? 'base']}
        >
          {compared.map(({ object, path, a, b }) => (
            <Row key={`${object}${path}`}>
              <Cell>{object}</Cell>
              <Cell className="mono">{fieldText(path)}</Cell>
              <Cell className="mono">{valueText(a)}</Cell>
              <Cell className="mono">{valueText(b)}</Cell>
            </Row>
          ))}
        </PlainTable>
      )}
    </>
  )
}

/** What lives in the cluster, against what the environment renders to. */
function Drift({
  cluster,
  rendering,
  manager,
}: {
  readonly cluster: string | null
  readonly rendering: string
  readonly manager: string
}) {
  const drift = useFetcher<Preview>()
  const { submit } = drift
  useEffect(() => {
    if (cluster === null || rendering === '') return
    void submit(JSON.stringify({ cluster, text: rendering, manager }), {
      method: 'post',
      encType: 'application/json',
    })
  }, [cluster, rendering, manager, submit])
  if (cluster === null)
    return <p className="soft">This environment names no cluster. Give it one, or point at one.</p>
  return drift.data ? (
    <PreviewList preview={drift.data} />
  ) : (
    <p className="soft">Comparing with {cluster}…</p>
  )
}

export function LayersView({ files, aim }: { readonly files: Files; readonly aim: string | null }) {
  const file = useFile(files, aim)
  const { name, text, read, environment, cluster } = file
  const [tab, setTab] = useState<Tab>('rendered')
  const rendered = useMemo(
    () => (read.ok ? renderLayers(read.file, environment) : null),
    [read, environment],
  )
  const manager = `layers-${name}`
  const rendering = rendered?.ok ? renderedText(rendered.objects) : ''
  const isFile = files.some((candidate) => candidate.name === name)
  return (
    <Page
      title="Layered files"
      beside={
        <span>
          <Choice
            label="File"
            hideLabel
            value={isFile ? name : ''}
            empty={isFile ? undefined : `${name} (new)`}
            options={files.map((candidate) => candidate.name)}
            onChange={file.open}
          />
        </span>
      }
      reason={
        <FileReason file={file} rendered={rendered} rendering={rendering} manager={manager} />
      }
    >
      <ShapeTabs here="/shape/manifests" />
      <Toggle
        label="What to show"
        options={['rendered', 'compared', 'drift', 'file'] as const}
        value={tab}
        onChange={setTab}
      />
      <div className="manifest-page" tabIndex={0} role="region" aria-label={tab}>
        {tab === 'file' ? (
          <YamlField
            value={text}
            label="Layered file"
            height="520px"
            manifests={false}
            onChange={file.setText}
          />
        ) : null}
        {tab === 'rendered' ? (
          <RenderedLines rendered={rendered} environment={environment} />
        ) : null}
        {tab === 'compared' ? <Compared file={file} /> : null}
        {tab === 'drift' ? (
          <Drift cluster={cluster} rendering={rendering} manager={manager} />
        ) : null}
      </div>
    </Page>
  )
}
