/** Claims of one cluster with the volumes behind them and who uses them, and the classes they are made from. */
import { useNavigate, useSearchParams } from 'react-router'
import { type ClaimRow, type ClassRow, storageOverview } from '~/core/storage'
import { countText, decimalBytesText, listText } from '~/core/units'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Notice } from '../../kit/notice'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { type Column, Table } from '../../kit/table/table'
import { ChooseCluster } from '../../parts/choose-cluster'
import { DraftChange } from '../../parts/draft-change'
import { StateText } from '../../parts/state'
import { To, useAddress } from '../../parts/to'
import { fleetAsked } from '../moment'
import { aimedCluster } from '../shape/tabs'
import { StoreTabs } from './tabs'
import type { Route } from './+types/claims'
import './store.css'

export const meta: Route.MetaFunction = () => [{ title: 'Claims and volumes · Gyrarch' }]

export async function loader({ request, context }: Route.LoaderArgs) {
  const fleet = await fleetAsked(context.get(gyrarchContext), request)
  const view = await fleet.view()
  const aimed = aimedCluster(request)
  const cluster = view.clusters.find((candidate) => candidate.name === aimed) ?? null
  const objects = cluster?.apiAnswers === true ? await fleet.objectsOf(cluster.name) : null
  return {
    now: view.now,
    clusters: view.clusters.filter((candidate) => candidate.apiAnswers).map(({ name }) => name),
    cluster: cluster?.name ?? null,
    answers: cluster?.apiAnswers ?? false,
    keepsCopies: Boolean(cluster?.storage),
    storage: objects ? storageOverview(objects) : null,
  }
}

const usedBy = (claim: ClaimRow): string =>
  listText(
    claim.pods.map(({ pod }) => pod),
    3,
  )
const nodesOf = (claim: ClaimRow): string =>
  listText([...new Set(claim.pods.flatMap(({ node }) => node ?? []))], 3)

const columns: readonly Column<ClaimRow>[] = [
  {
    name: 'claim',
    value: (claim) => claim.claim,
    show: (claim) => <span className="mono">{claim.claim}</span>,
  },
  {
    name: 'state',
    value: (claim) => (claim.volume === null ? 'waits' : 'bound'),
    show: (claim) =>
      claim.volume === null ? (
        <StateText state="strained">waits</StateText>
      ) : (
        <StateText state="well">bound</StateText>
      ),
  },
  { name: 'class', value: (claim) => claim.class },
  {
    name: 'size',
    value: (claim) => claim.bytes,
    show: (claim) => decimalBytesText(claim.bytes),
    number: true,
  },
  { name: 'zone', value: (claim) => claim.zone ?? 'any' },
  { name: 'used by', value: (claim) => usedBy(claim) || 'no pod' },
  { name: 'on', value: (claim) => nodesOf(claim) || 'no node' },
]

function zonesText(row: ClassRow): string {
  return row.zones === null ? 'every zone' : listText(row.zones)
}

/** Who may use a class: those named or bounded, and how much of their bound is asked for. */
function grantsText(row: ClassRow): string {
  const bound = row.grants.map(({ namespace, quotaBytes, usedBytes }) =>
    quotaBytes === null
      ? namespace
      : `${namespace} ${decimalBytesText(usedBytes)} of ${decimalBytesText(quotaBytes)}`,
  )
  return bound.length === 0 ? 'whoever is not limited' : listText(bound, 3)
}

function Classes({ classes }: { readonly classes: readonly ClassRow[] }) {
  return (
    <PlainTable
      label="storage classes"
      className="below-table"
      heads={[
        'class',
        'provisioner',
        'binds',
        'zones',
        'may use it',
        { key: 'claims', says: 'claims', number: true },
        { key: 'asked', says: 'asked', number: true },
      ]}
    >
      {classes.map((row) => (
        <Row key={row.name}>
          <Cell>
            <span className="mono">{row.name}</span>
            {row.isDefault ? <span className="soft"> default</span> : null}
          </Cell>
          <Cell className="mono">{row.provisioner || 'none'}</Cell>
          <Cell>{row.waitsForConsumer ? 'with the first pod' : 'at once'}</Cell>
          <Cell className="wraps">
            {zonesText(row)}
            {row.lacks.length > 0 ? <b> · not {listText(row.lacks)}</b> : null}
          </Cell>
          <Cell className="wraps">{grantsText(row)}</Cell>
          <Cell className="number">{row.claims}</Cell>
          <Cell className="number">{decimalBytesText(row.bytes)}</Cell>
        </Row>
      ))}
    </PlainTable>
  )
}

function headText(claims: number, waiting: number): string {
  if (claims === 0) return 'No claims'
  return waiting === 0
    ? `${countText(claims, 'claim')}, all bound`
    : countText(waiting, 'claim waits', 'claims wait')
}

function ChosenClaim({ chosen }: { readonly chosen: ClaimRow }) {
  return (
    <>
      <div className="about">
        <span className="mono">{chosen.claim}</span>
      </div>
      <h2>{chosen.volume === null ? 'Waits' : 'Bound'}</h2>
      {chosen.waits === null ? null : <p>{chosen.waits}</p>}
      <dl className="facts">
        <div>
          <dt>volume</dt>
          <dd className="mono">{chosen.volume ?? 'none yet'}</dd>
        </div>
        <div>
          <dt>class</dt>
          <dd>{chosen.class || 'none'}</dd>
        </div>
        <div>
          <dt>asked</dt>
          <dd>
            {decimalBytesText(chosen.bytes)}, {listText(chosen.accessModes)}
          </dd>
        </div>
      </dl>
      <h3>Who stops if it is gone</h3>
      {chosen.pods.length === 0 ? (
        <p className="soft">No pod uses it.</p>
      ) : (
        <ul className="facts">
          {chosen.pods.map(({ pod, node }) => (
            <li key={pod}>
              <span className="mono">{pod}</span>
              <span className="source">{node ?? 'on no node yet'}</span>
            </li>
          ))}
        </ul>
      )}
    </>
  )
}

function Reason({
  cluster,
  keepsCopies,
  claims,
  classes,
  chosen,
}: {
  readonly cluster: string | null
  readonly keepsCopies: boolean
  readonly claims: readonly ClaimRow[]
  readonly classes: readonly ClassRow[]
  readonly chosen: ClaimRow | undefined
}) {
  if (chosen) return <ChosenClaim chosen={chosen} />
  const waiting = claims.filter((claim) => claim.volume === null)
  const holes = classes.filter((row) => row.lacks.length > 0)
  return (
    <>
      <h2>{headText(claims.length, waiting.length)}</h2>
      <p className="soft">
        {claims.length === 0
          ? 'Nothing that runs here keeps data in a volume.'
          : `${decimalBytesText(claims.reduce((sum, claim) => sum + claim.bytes, 0))} asked for. Choose a claim to see its volume and who would stop without it.`}
      </p>
      {holes.length === 0 ? null : (
        <>
          <h3>Classes with a hole</h3>
          <ul className="facts">
            {holes.map((row) => (
              <li key={row.name}>
                <span className="mono">{row.name}</span>
                <span className="source">
                  makes none in {listText(row.lacks)}: pods there wait for ever
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
      {cluster === null ? null : (
        <div className="acts">
          {keepsCopies ? (
            <DraftChange
              kind="storage.class"
              intent={{ cluster, name: 'cellar-new', copies: 2, zones: 'preferred' }}
            >
              Make a class
            </DraftChange>
          ) : null}
          <DraftChange
            kind="storage.grant"
            intent={{
              cluster,
              namespace: claims[0]?.claim.split('/')[0] ?? 'default',
              class: classes[0]?.name ?? '',
              gigabytes: 100,
            }}
          >
            Let a namespace use one
          </DraftChange>
        </div>
      )}
    </>
  )
}

export default function Claims({ loaderData }: Route.ComponentProps) {
  const { cluster, clusters, storage, answers, keepsCopies } = loaderData
  const [search] = useSearchParams()
  const navigate = useNavigate()
  const address = useAddress()
  const keep = Object.fromEntries(search)
  const claims = storage?.claims ?? []
  const classes = storage?.classes ?? []
  const chosen = claims.find((claim) => claim.claim === search.get('on'))
  return (
    <Page
      title="Claims and volumes"
      beside={<span className="soft">{cluster === null ? 'of one cluster' : `of ${cluster}`}</span>}
      reason={
        cluster === null ? (
          <>
            <h2>Who keeps what where</h2>
            <p className="soft">
              Each claim with the volume behind it, the pods that would stop without it, and the
              classes that volumes are made from.
            </p>
          </>
        ) : (
          <Reason
            cluster={cluster}
            keepsCopies={keepsCopies}
            claims={claims}
            classes={classes}
            chosen={chosen}
          />
        )
      }
    >
      <StoreTabs here="/store" />
      {cluster === null ? (
        <ChooseCluster
          clusters={clusters}
          path="/store"
          title="Whose storage?"
          says="Claims and volumes belong to a cluster. Point at one."
        />
      ) : (
        <div className="store-page">
          {answers ? null : (
            <Notice level="caution">
              The API of {cluster} does not answer: its claims are not known now.{' '}
              <To path={`/clusters/${cluster}`}>Look at it</To>
            </Notice>
          )}
          {answers && storage === null ? (
            <Notice level="caution">Its objects do not read as the open API has them.</Notice>
          ) : null}
          <Table
            name={`claims of ${cluster}`}
            columns={columns}
            rows={claims}
            id={(claim) => claim.claim}
            selected={chosen?.claim ?? null}
            onSelect={(claim) =>
              void navigate(address('/store', { ...keep, on: claim.claim }), {
                preventScrollReset: true,
              })
            }
            empty="No workload of it asks for a volume: nothing here would be lost with a disk."
          />
          {classes.length > 0 ? <Classes classes={classes} /> : null}
        </div>
      )}
    </Page>
  )
}
