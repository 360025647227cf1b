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

export function LayersView({
  files,
  aim,
}: {
  readonly files: readonly { readonly name: string; readonly text: string }[]
  readonly aim: string | null
}) {
  const [name, setName] = useState(files[0]?.name ?? 'layers')
  const [text, setText] = useState(files[0]?.text ?? 'layers: 1\nbase: []\nenvironments: {}\n')
  const read = useMemo(() => readLayers(text), [text])
  const environments = useMemo(() => (read.ok ? Object.keys(read.file.environments) : []), [read])
  const [chosen, setChosen] = useState<string | null>(null)
  const environment =
    chosen !== null && environments.includes(chosen) ? chosen : (environments[0] ?? null)
  const [picked, setAgainst] = useState<string | null>(null)
  const against =
    picked !== null && environments.includes(picked)
      ? picked
      : (environments.find((candidate) => candidate !== environment) ?? null)
  const [tab, setTab] = useState<'file' | 'rendered' | 'compared' | 'drift'>('rendered')
  const rendered = useMemo(
    () => (read.ok ? renderLayers(read.file, environment) : null),
    [read, environment],
  )
  const compared = useMemo(
    () => (read.ok && tab === 'compared' ? compareLayers(read.file, environment, against) : []),
    [read, tab, environment, against],
  )
  const cluster =
    read.ok && environment !== null ? (read.file.environments[environment]?.cluster ?? aim) : aim
  const manager = `layers-${name}`
  const rendering = rendered?.ok ? renderedText(rendered.objects) : ''
  const keep = useFetcher<{ kept?: string; refused?: string }>()
  const drift = useFetcher<Preview>()
  const { submit } = drift
  useEffect(() => {
    if (tab !== 'drift' || cluster === null || rendering === '') return
    void submit(JSON.stringify({ cluster, text: rendering, manager }), {
      method: 'post',
      encType: 'application/json',
    })
  }, [tab, cluster, rendering, manager, submit])
  const saved = files.find((file) => file.name === name)?.text === text
  return (
    <Page
      title="Layered files"
      beside={
        <span>
          <Choice
            label="File"
            hideLabel
            value={files.some((file) => file.name === name) ? name : ''}
            empty={files.some((file) => file.name === name) ? undefined : `${name} (new)`}
            options={files.map((file) => file.name)}
            onChange={(picked) => {
              const file = files.find((file) => file.name === picked)
              if (file) {
                setName(file.name)
                setText(file.text)
              }
            }}
          />
        </span>
      }
      reason={
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
            Its fields are written as {manager}: an edit by hand shows as drift, and is settled
            field by field in the draft.
          </p>
          <p>
            <To path="/shape/manifests">Single manifests</To>
          </p>
        </>
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
            onChange={setText}
          />
        ) : null}
        {tab === 'rendered' && rendered?.ok
          ? rendered.objects.map((object, i) => (
              <pre
                key={i}
                className="layer-lines"
                aria-label={`Rendered for ${environment ?? 'the base'}`}
              >
                {layerLines(object).map((line, l) => (
                  <div
                    key={l}
                    data-layer={
                      line.from === environment ? 'own' : line.from === null ? 'none' : 'base'
                    }
                  >
                    <span className="layer-of">{line.from ?? ''}</span>
                    {line.text}
                  </div>
                ))}
              </pre>
            ))
          : null}
        {tab === 'compared' ? (
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
                {compared.map((layerDifference) => (
                  <Row key={`${layerDifference.object}${layerDifference.path}`}>
                    <Cell>{layerDifference.object}</Cell>
                    <Cell className="mono">{fieldText(layerDifference.path)}</Cell>
                    <Cell className="mono">{valueText(layerDifference.a)}</Cell>
                    <Cell className="mono">{valueText(layerDifference.b)}</Cell>
                  </Row>
                ))}
              </PlainTable>
            )}
          </>
        ) : null}
        {tab === 'drift' ? (
          cluster === null ? (
            <p className="soft">This environment names no cluster. Give it one, or point at one.</p>
          ) : drift.data ? (
            <PreviewList preview={drift.data} />
          ) : (
            <p className="soft">Comparing with {cluster}…</p>
          )
        ) : null}
      </div>
    </Page>
  )
}
