/** Names: asked as a pod would ask them, every try of its search path with who answered. */
import { listedObjects } from '~/core/fleet'
import { lookUp, readFrom } from '~/core/wire'
import { preparedWorld } from '~/server/wire/prepared-world'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { StateGlyph } from '../../parts/state'
import { To } from '../../parts/to'
import { ChooseCluster } from '../../parts/choose-cluster'
import { WireTabs } from './tabs'
import { aimed } from './wire-data'
import './wire.css'
import type { Route } from './+types/names'
import { AskForm } from '../../kit/ask-form'
import { Cell, PlainTable, Row } from '../../kit/plain-table'
import { SuggestField } from '../../kit/suggest-field'
import { Notice } from '../../kit/notice'

export const meta: Route.MetaFunction = () => [{ title: 'Names as pods ask them · Gyrarch' }]

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const { view, cluster, site } = await aimed(gyrarch, request)
  if (!cluster)
    return { cluster: null, clusters: view.clusters.map((eachCluster) => eachCluster.name) }
  const search = new URL(request.url).searchParams
  const pods = listedObjects(view, cluster.name)
    .filter((object) => object.kind === 'Pod')
    .map((object) => `${object.metadata?.namespace ?? 'default'}/${object.metadata?.name ?? ''}`)
  const services = listedObjects(view, cluster.name)
    .filter((object) => object.kind === 'Service')
    .map((object) => `${object.metadata?.name ?? ''}.${object.metadata?.namespace ?? 'default'}`)
  const pod = search.get('pod')?.trim() ?? pods[0] ?? ''
  const name = search.get('name')?.trim().slice(0, 253) ?? ''
  const source = readFrom(view, pod, cluster.name)
  const ready = await preparedWorld(view)
  const tries =
    name !== '' && source.ok && 'pod' in source.end && ready.ok
      ? lookUp(ready.world, source.end, name)
      : null
  let wrong: string | null
  if (name === '') wrong = null
  else if (!source.ok) wrong = source.says
  else if (!('pod' in source.end))
    wrong = 'Only a pod has a search path: name one as namespace/name.'
  else if (tries === null) wrong = 'Nothing answers: the pod is not there any more.'
  else wrong = null
  return {
    aim: `cluster/${cluster.name}`,
    cluster: cluster.name,
    clusters: [],
    site: site?.name ?? '',
    pod,
    name,
    pods: pods.slice(0, 500),
    choices: [
      ...services,
      ...(site?.records ?? []).map((record) => `${record.name}.${site?.nameDomain ?? ''}`),
    ].slice(0, 500),
    tries,
    wrong,
  }
}

type Tries = NonNullable<Route.ComponentProps['loaderData']['tries']>

/** Who answered for a name, or that nobody did. */
function AnswerReason({
  name,
  pod,
  site,
  tries,
}: {
  readonly name: string
  readonly pod: string
  readonly site: string
  readonly tries: Tries
}) {
  const answered = tries.at(-1)
  if (!answered) return null
  const { addresses, who, by } = answered
  const isAnswered = addresses.length > 0
  return (
    <>
      <h2>{isAnswered ? `${name} is ${addresses.join(', ')}` : `Nobody answers for ${name}`}</h2>
      <p>
        {isAnswered
          ? `Answered by the ${who}, as ${by}, on try ${tries.length}.`
          : `All ${tries.length} names of its search path were asked in vain. Write it in full, with its namespace, or give the site a record.`}
      </p>
      <p>
        <To path="/wire/walk" query={{ from: pod, to: answered.name, port: '443' }}>
          Walk there
        </To>{' '}
        ·{' '}
        <To path="/ground/names" query={{ site }}>
          Records of {site}
        </To>
      </p>
    </>
  )
}

function TriesTable({ tries }: { readonly tries: Tries }) {
  return (
    <PlainTable label="Tries" heads={['asked', 'answer', 'by']}>
      {tries.map(({ name, addresses, who }) => {
        const isAnswered = addresses.length > 0
        return (
          <Row key={name}>
            <Cell className="mono">{name}.</Cell>
            <Cell className="mono">
              <StateGlyph
                state={isAnswered ? 'well' : 'resting'}
                title={isAnswered ? 'answered' : 'no such name'}
              />{' '}
              {addresses.join(', ') || 'no such name'}
            </Cell>
            <Cell>{who}</Cell>
          </Row>
        )
      })}
    </PlainTable>
  )
}

export default function NamesPage({ loaderData }: Route.ComponentProps) {
  const { cluster } = loaderData
  if (cluster === null || loaderData.pods === undefined) {
    return (
      <Page
        title="Names"
        reason={<p className="soft">Each cluster answers names for its own pods.</p>}
      >
        <WireTabs here="/wire/names" />
        <ChooseCluster
          clusters={loaderData.clusters}
          path="/wire/names"
          title="Names, as a pod asks them"
          says="Each cluster answers for its own pods, try by try along their search path. Point at a cluster."
        />
      </Page>
    )
  }
  const { tries, wrong, pod, name, pods, choices, site } = loaderData
  return (
    <Page
      title="Names, as a pod asks them"
      beside={<span className="soft">in {cluster}</span>}
      reason={
        tries && tries.length > 0 ? (
          <AnswerReason name={name} pod={pod} site={site} tries={tries} />
        ) : (
          <>
            <h2>Its search path, try by try</h2>
            <p className="soft">
              A name with fewer than five dots is tried with the pod’s namespace first, then the
              cluster, then as it stands. A final dot makes it a full name.
            </p>
          </>
        )
      }
    >
      <WireTabs here="/wire/names" />
      <div className="wire-page">
        <AskForm label="Ask a name" asks={['pod', 'name']} verb="Ask">
          <SuggestField
            key={`p${pod}`}
            name="pod"
            label="Pod"
            mono
            defaultValue={pod}
            suggestions={pods}
            width={300}
          />
          <SuggestField
            key={`n${name}`}
            name="name"
            label="Name"
            mono
            defaultValue={name}
            suggestions={choices}
            placeholder="ledger-view"
            width={300}
          />
        </AskForm>
        {wrong === null ? null : <Notice>{wrong}</Notice>}
        {tries ? <TriesTable tries={tries} /> : null}
      </div>
    </Page>
  )
}
