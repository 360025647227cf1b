/** What a release no longer serves: among the objects that live in a cluster, and in files that are pasted or dropped. */
import { useState } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import Button from '@mui/material/Button'
import LinearProgress from '@mui/material/LinearProgress'
import {
  type ConvertedManifests,
  goingClients,
  type GoingObject,
  isLayered,
  layeredAudit,
  type LayeredAudit,
} from '~/core/manifests'
import { minorLines } from '~/core/releases'
import { policiesServedFrom } from '~/core/objects'
import { compareReleases, countText, listText } from '~/core/units'
import { liveAudit, liveConversion, type LiveGoing } from '~/server/renew/live-audit'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Choice } from '../../kit/choice'
import { Drop } from '../../kit/drop'
import { Notice } from '../../kit/notice'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { saveFile } from '../../kit/save-file'
import { type Column, Table } from '../../kit/table/table'
import { DraftChange } from '../../parts/draft-change'
import { manifestsIn } from '../../parts/manifest-files'
import { StateGlyph, StateText } from '../../parts/state'
import { useAddress } from '../../parts/to'
import { YamlField } from '../../parts/yaml-field'
import { fleetAsked } from '../moment'
import { aimedCluster } from '../shape/tabs'
import { SideBySide } from './side-by-side'
import { RenewTabs } from './tabs'
import { useConversion } from './use-conversion'
import type { Route } from './+types/audit'
import './renew.css'

export const meta: Route.MetaFunction = () => [{ title: 'Removal audit · Gyrarch' }]

const fileLimit = 64 * 1024 * 1024

export async function loader({ request, context }: Route.LoaderArgs) {
  const fleet = await fleetAsked(context.get(gyrarchContext), request)
  const view = await fleet.view()
  const { searchParams } = new URL(request.url)
  const minors = minorLines(view.catalogue).map(({ minor }) => minor)
  const asked = searchParams.get('target') ?? ''
  const target = minors.includes(asked) ? asked : (minors[0] ?? '')
  const names = view.clusters.filter(({ apiAnswers }) => apiAnswers).map(({ name }) => name)
  const wanted = searchParams.get('cluster') ?? aimedCluster(request) ?? ''
  const cluster = names.includes(wanted) ? wanted : null
  const rows: LiveGoing[] = []
  for (const name of cluster === null ? names : [cluster])
    rows.push(...liveAudit(name, (await fleet.objectsOf(name)) ?? [], target))
  const own = view.clusters.find(({ name }) => name === cluster)
  const anew = own
    ? liveConversion((await fleet.objectsOf(own.name)) ?? [], own.release, target)
    : null
  const clients = view.clusters
    .filter(({ name }) => cluster === null || name === cluster)
    .flatMap(({ name, apiClients = [] }) =>
      goingClients(apiClients, target).map((client) => ({ ...client, cluster: name })),
    )
  // Admission policies are there from a release on.
  const canGuard = own !== undefined && compareReleases(own.release, `${policiesServedFrom}.0`) >= 0
  return { minors, target, names, cluster, rows, anew, clients, canGuard }
}

type Client = Route.ComponentProps['loaderData']['clients'][number]

const clientColumns: readonly Column<Client>[] = [
  { name: 'cluster', value: (row) => row.cluster },
  { name: 'client', value: (row) => row.agent, show: (row) => <b>{row.agent}</b> },
  { name: 'from', value: (row) => row.from },
  {
    name: 'asks for',
    value: (row) => `${row.kind} of ${row.apiVersion}`,
    show: (row) => (
      <>
        {row.kind} of <span className="mono">{row.apiVersion}</span>
      </>
    ),
  },
  { name: 'gone since', value: (row) => row.removedIn, number: true },
  { name: 'a day', value: (row) => row.perDay, number: true },
]

const goingText = ({ gone, removedIn }: { readonly gone: boolean; readonly removedIn: string }) =>
  gone ? `gone since ${removedIn}` : `goes in ${removedIn}`

const columns: readonly Column<LiveGoing>[] = [
  { name: 'cluster', value: (row) => row.cluster },
  { name: 'object', value: (row) => row.object, show: (row) => <b>{row.object}</b> },
  {
    name: 'written as',
    value: (row) => row.apiVersion,
    show: (row) => <span className="mono">{row.apiVersion}</span>,
  },
  {
    name: 'at the target',
    value: (row) => Number(row.gone),
    show: (row) => <StateText state={row.gone ? 'broken' : 'strained'}>{goingText(row)}</StateText>,
  },
  {
    name: 'becomes',
    value: (row) => row.successor ?? '',
    show: (row) =>
      row.successor === null ? (
        'nothing: a person decides'
      ) : (
        <span className="mono">{row.successor}</span>
      ),
  },
  {
    name: 'last written by',
    value: (row) => row.owner ?? '',
    show: (row) => row.owner ?? 'not known',
  },
]

interface Answer {
  readonly audit: readonly GoingObject[]
  readonly converted: ConvertedManifests
}

function Outcome({
  text,
  answer,
  cluster,
}: {
  readonly text: string
  readonly answer: Answer
  readonly cluster: string | null
}) {
  const { converted, left, later, unreadable, manifests } = answer.converted
  return (
    <>
      {unreadable.map(({ document, line, says }) => (
        <Notice key={`${document} ${line}`} level="caution">
          {`Document ${document + 1}, line ${line}: ${says}`}
        </Notice>
      ))}
      {left.map(({ document, kind, name, decide }) => (
        <Notice key={`${document} ${kind} ${name ?? ''}`} level="stop">
          {`${kind} ${name ?? ''}: ${decide}`}
        </Notice>
      ))}
      {later.map(({ document, kind, name, apiVersion }) => (
        <Notice key={`${document} ${kind} ${name ?? ''}`} level="note">
          {`${kind} ${name ?? ''} stays ${apiVersion}: the target does not serve yet what takes its place.`}
        </Notice>
      ))}
      <p>
        <StateGlyph state={left.length === 0 ? 'well' : 'strained'} />{' '}
        {converted.length === 0
          ? 'Nothing has to be written anew.'
          : `${countText(converted.length, 'object is', 'objects are')} written anew; everything else is as it was.`}
      </p>
      {converted.length > 0 ? (
        <>
          <div className="acts">
            {cluster === null ? null : (
              <DraftChange kind="manifest.apply" intent={{ cluster, text: manifests }}>
                {`Apply it to ${cluster}`}
              </DraftChange>
            )}
            <Button
              variant="outlined"
              onClick={() => saveFile('converted.yaml', 'application/yaml', manifests)}
            >
              Save as a file
            </Button>
          </div>
          <SideBySide before={text} after={manifests} />
        </>
      ) : null}
    </>
  )
}

/** What goes of a layered file, in which environments, and the layer where it has to be changed. */
function Layered({ audit, target }: { readonly audit: LayeredAudit; readonly target: string }) {
  return (
    <>
      {audit.unrendered.map(({ environment, says }) => (
        <Notice key={environment} level="caution">{`${environment}: ${says}`}</Notice>
      ))}
      {audit.found.length === 0 ? (
        <p>
          <StateGlyph state="well" /> {target} serves all that this layered file becomes.
        </p>
      ) : (
        <PlainTable
          label="What goes of the layered file"
          heads={[
            'object',
            'written as',
            'at the target',
            'becomes',
            'environments',
            'change it in',
          ]}
        >
          {audit.found.map((entry) => (
            <Row key={`${entry.kind} ${entry.namespace ?? ''} ${entry.name ?? ''} ${entry.layer}`}>
              <Cell>{`${entry.kind} ${entry.namespace === null ? '' : `${entry.namespace}/`}${entry.name ?? ''}`}</Cell>
              <Cell className="mono">{entry.apiVersion}</Cell>
              <Cell>
                <StateText state={entry.gone ? 'broken' : 'strained'}>{goingText(entry)}</StateText>
              </Cell>
              <Cell className="mono">{entry.successor ?? 'nothing: a person decides'}</Cell>
              <Cell>{listText([...entry.environments], 4) || 'none'}</Cell>
              <Cell>{`${entry.layer}, line ${entry.line}`}</Cell>
            </Row>
          ))}
        </PlainTable>
      )}
    </>
  )
}

/** How far a text is read and written anew. */
function Working({ share, onGiveUp }: { readonly share: number; readonly onGiveUp: () => void }) {
  return (
    <div className="working">
      <LinearProgress variant="determinate" value={100 * share} aria-label="Written anew" />
      <span className="soft">{Math.round(100 * share)} %</span>
      <Button variant="text" size="small" onClick={onGiveUp}>
        Give up
      </Button>
    </div>
  )
}

function Files({ target, cluster }: { readonly target: string; readonly cluster: string | null }) {
  const [text, setText] = useState('')
  const { asked, convert, giveUp } = useConversion()
  const [layered, setLayered] = useState<LayeredAudit | null>(null)
  const [refused, setRefused] = useState<string | null>(null)
  const answer = asked?.answer
  const look = (manifests: string): void => {
    setText(manifests)
    setRefused(null)
    giveUp()
    setLayered(null)
    if (!isLayered(manifests)) {
      convert({ text: manifests, target })
      return
    }
    const read = layeredAudit(manifests, target)
    if (read.ok) setLayered(read.audit)
    else setRefused(read.says)
  }
  return (
    <section className="audit-text">
      <h2>Files</h2>
      <Drop
        what="file of manifests"
        accept={{
          'application/yaml': ['.yaml', '.yml'],
          'application/json': ['.json'],
          'application/x-tar': ['.tar'],
        }}
        maxBytes={fileLimit}
        onFile={(file) => void manifestsIn([file]).then(look)}
        refused={refused}
      />
      <YamlField label="Manifests" value={text} onChange={setText} manifests height="120px" />
      <div className="acts">
        <Button variant="outlined" disabled={text.trim() === ''} onClick={() => look(text)}>
          {`Write anew for ${target}`}
        </Button>
      </div>
      {layered ? <Layered audit={layered} target={target} /> : null}
      {answer?.state === 'working' ? <Working share={answer.share} onGiveUp={giveUp} /> : null}
      {answer?.state === 'failed' ? <Notice>{answer.says}</Notice> : null}
      {asked && answer?.state === 'done' ? (
        <Outcome
          text={asked.text}
          answer={{ audit: answer.audit.found, converted: answer.converted }}
          cluster={cluster}
        />
      ) : null}
    </section>
  )
}

function Reason({ rows, target, cluster, anew, canGuard }: Route.ComponentProps['loaderData']) {
  const gone = rows.filter((row) => row.gone)
  const going = rows.length - gone.length
  return (
    <>
      <h2>
        <StateGlyph state={gone.length === 0 ? 'well' : 'broken'} />{' '}
        {gone.length === 0
          ? `${target} serves all that lives ${cluster === null ? 'in the fleet' : `in ${cluster}`}`
          : `${countText(gone.length, 'object')} of what lives ${gone.length === 1 ? 'is' : 'are'} gone at ${target}`}
      </h2>
      {cluster !== null && anew && anew.count > 0 ? (
        <div className="acts">
          <DraftChange
            kind="manifest.apply"
            intent={{ cluster, text: anew.text }}
            variant="contained"
          >
            {`Write ${countText(anew.count, 'object')} anew`}
          </DraftChange>
        </div>
      ) : null}
      {cluster === null || !canGuard ? null : (
        <div className="acts">
          <DraftChange kind="renew.guard" intent={{ cluster, target, action: 'warn' }}>
            {`Warn of what ${target} no longer serves`}
          </DraftChange>
          <DraftChange
            kind="renew.guard"
            intent={{ cluster, target, action: 'refuse' }}
            variant="text"
          >
            Refuse it
          </DraftChange>
        </div>
      )}
      {anew?.left.map(({ kind, name, decide }) => (
        <p key={`${kind} ${name ?? ''}`}>
          <StateGlyph state="strained" /> <b>{`${kind} ${name ?? ''}`}</b>: {decide}
        </p>
      ))}
      {going > 0 ? <p>{countText(going, 'more goes', 'more go')} in a later release.</p> : null}
      <p className="soft">
        What lives is judged by what its owners last wrote, not by what the API converts on reading.
        Files keep their comments, order and quotes: only what has to change is changed.
      </p>
    </>
  )
}

export default function AuditPage({ loaderData }: Route.ComponentProps) {
  const { minors, target, names, cluster, rows } = loaderData
  const [search] = useSearchParams()
  const navigate = useNavigate()
  const address = useAddress()
  const go = (query: Readonly<Record<string, string | null>>): void =>
    void navigate(address('/renew/audit', { ...Object.fromEntries(search), ...query }), {
      preventScrollReset: true,
    })
  return (
    <Page
      title="Removal audit"
      beside={<span className="soft">what {target} no longer serves</span>}
      reason={<Reason {...loaderData} />}
    >
      <RenewTabs here="/renew/audit" />
      <div className="renew-page">
        <div className="ask-form">
          <Choice
            label="Target"
            value={target}
            options={minors}
            onChange={(minor) => go({ target: minor })}
            width={110}
          />
          <Choice
            label="Cluster"
            value={cluster ?? ''}
            options={[{ value: '', says: 'all of them' }, ...names]}
            onChange={(name) => go({ cluster: name === '' ? null : name })}
            width={180}
          />
        </div>
        <h2>What lives</h2>
        <Table
          name="audit"
          columns={columns}
          rows={rows}
          id={(row) => `${row.cluster} ${row.object}`}
          selected={null}
          onSelect={(row) => go({ cluster: row.cluster })}
          empty={`Nothing that lives ${cluster === null ? 'in the fleet' : `in ${cluster}`} is written in a version that goes.`}
        />
        <h2>Who still asks</h2>
        <Table
          name="clients"
          columns={clientColumns}
          rows={loaderData.clients}
          id={(row) => `${row.cluster} ${row.agent} ${row.apiVersion} ${row.kind}`}
          selected={null}
          onSelect={(row) => go({ cluster: row.cluster })}
          empty={`No client asked for a version that ${target} no longer serves within a day.`}
        />
        <Files target={target} cluster={cluster} />
      </div>
    </Page>
  )
}
