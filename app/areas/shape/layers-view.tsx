/** Layered files: the file, an environment rendered with the layer of each line, environments compared, and drift against what lives. */
import Button from '@mui/material/Button'
import { lazy, Suspense, useEffect, useMemo, useState } from 'react'
import { useFetcher } from 'react-router'
import { compareLayers, layerLines, readLayers, renderedText, renderLayers } from '~/core/manifests'
import { fieldText } from '~/core/objects'
import { countText } from '~/core/units'
import { Page } from '../../frame/page'
import { DraftChange } from '../../parts/draft-change'
import { To } from '../../parts/to'
import { type Preview, PreviewList } from './preview'
import { ShapeTabs } from './tabs'

const YamlEditor = lazy(() => import('../../parts/yaml-editor'))

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
  const [other, setOther] = useState<string | null>(null)
  const against =
    other !== null && environments.includes(other)
      ? other
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
          <select
            className="shape-field"
            aria-label="File"
            value={files.some((file) => file.name === name) ? name : ''}
            onChange={(event) => {
              const file = files.find((file) => file.name === event.target.value)
              if (file) {
                setName(file.name)
                setText(file.text)
              }
            }}
          >
            {files.some((file) => file.name === name) ? null : (
              <option value="">{name} (new)</option>
            )}
            {files.map((file) => (
              <option key={file.name}>{file.name}</option>
            ))}
          </select>
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
            <p role="alert">{read.says}</p>
          )}
          {rendered && !rendered.ok ? <p role="alert">{rendered.says}</p> : null}
          <label>
            Environment{' '}
            <select
              className="shape-field"
              value={environment ?? ''}
              onChange={(event) => setChosen(event.target.value)}
            >
              {environments.map((entry) => (
                <option key={entry}>{entry}</option>
              ))}
            </select>
          </label>
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
      <nav className="tabs" aria-label="What to show">
        {(['rendered', 'compared', 'drift', 'file'] as const).map((entry) => (
          <button
            key={entry}
            type="button"
            aria-pressed={tab === entry}
            data-current={tab === entry}
            onClick={() => setTab(entry)}
          >
            {entry}
          </button>
        ))}
      </nav>
      <div className="manifest-page" tabIndex={0} role="region" aria-label={tab}>
        {tab === 'file' ? (
          <Suspense
            fallback={
              <textarea
                className="zone-text mono"
                rows={22}
                value={text}
                onChange={(event) => setText(event.target.value)}
                aria-label="Layered file"
              />
            }
          >
            <YamlEditor
              value={text}
              label="Layered file"
              height="520px"
              manifests={false}
              onChange={setText}
            />
          </Suspense>
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
              <select
                className="shape-field"
                aria-label="Compared with"
                value={against ?? ''}
                onChange={(event) => setOther(event.target.value)}
              >
                {environments.map((entry) => (
                  <option key={entry}>{entry}</option>
                ))}
              </select>
            </p>
            {typeof compared === 'string' ? (
              <p role="alert">{compared}</p>
            ) : (
              <table className="grid">
                <thead>
                  <tr>
                    <th scope="col">object</th>
                    <th scope="col">field</th>
                    <th scope="col">{environment}</th>
                    <th scope="col">{against}</th>
                  </tr>
                </thead>
                <tbody>
                  {compared.map((layerDifference) => (
                    <tr key={`${layerDifference.object}${layerDifference.path}`}>
                      <td>{layerDifference.object}</td>
                      <td className="mono">{fieldText(layerDifference.path)}</td>
                      <td className="mono">{valueText(layerDifference.a)}</td>
                      <td className="mono">{valueText(layerDifference.b)}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
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
