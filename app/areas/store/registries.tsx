/** Registries: repositories with their tags, who vouches for each image, and where it runs. */
import { useNavigate, useSearchParams } from 'react-router'
import type { RegistryAccess } from '~/core/contract'
import { compareText, countText, listText } from '~/core/units'
import type { Published, PublishedImage } from '~/core/releases'
import { severities, type Severity } from '~/core/shipment'
import {
  imagesIn,
  type RegistryImage,
  runningImages,
  runningOf,
  type Runs,
} from '~/server/registries/images'
import type { Repository } from '~/server/registries/registry'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Attention, type AttentionProps } from '../../parts/attention'
import { Choice } from '../../kit/choice'
import { type Column, Table } from '../../kit/table/table'
import { StateGlyph, StateText } from '../../parts/state'
import { useAddress } from '../../parts/to'
import { fleetAsked } from '../moment'
import { RowFacts } from './row-facts'
import { TakeImages } from './take-images'
import { AccessFacts, RepositoryAccess } from './registry-access'
import { stateOfSeverity, TagFacts, type TagImage } from './tag-facts'
import { StoreTabs } from './tabs'
import type { Route } from './+types/registries'
import './store.css'

export const meta: Route.MetaFunction = () => [{ title: 'Registries · Gyrarch' }]

const openAccess: RegistryAccess = { closed: [], accounts: [] }

interface RepositoryRow {
  readonly repository: string
  readonly tags: number
  /** Tags that no key that counts vouches for. */
  readonly unsigned: number
  /** The gravest finding in any of its tags. */
  readonly worst: Severity | null
  readonly findings: number
  readonly pods: number
  readonly moved: number
  readonly clusters: readonly string[]
}

function rowOf(
  repository: string,
  held: Repository,
  published: ReadonlyMap<string, PublishedImage>,
  runs: Runs,
): RepositoryRow {
  const running = [...held.tags].flatMap(([tag, digest]) =>
    runningOf(runs, `${repository}:${tag}`, digest),
  )
  const images = [...held.tags.values()].map((digest) => published.get(digest))
  const findings = new Map(
    images.flatMap((image) =>
      (image?.vulnerabilities ?? []).map(({ id, severity }) => [id, severity] as const),
    ),
  )
  return {
    repository,
    tags: held.tags.size,
    unsigned: images.filter((image) => image?.signed !== true).length,
    worst: severities.findLast((severity) => [...findings.values()].includes(severity)) ?? null,
    findings: findings.size,
    pods: running.reduce((sum, { pods }) => sum + pods, 0),
    moved: running.reduce((sum, { moved }) => sum + moved, 0),
    clusters: [...new Set(running.map(({ cluster }) => cluster))],
  }
}

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const fleet = await fleetAsked(gyrarch, request)
  const view = await fleet.view()
  const { searchParams } = new URL(request.url)
  const registries = gyrarch.registries.list()
  const at =
    registries.find((registry) => registry.name === searchParams.get('registry')) ?? registries[0]
  const registry = at ? gyrarch.registries.named(at.name) : undefined
  const now = Date.parse(view.now)
  if (!at || !registry)
    return { registries, at: null, rows: [], images: [], access: openAccess, now }
  const access = await gyrarch.registries.accountsOf(registry).current()
  const contents = await registry.contents()
  const runs = await runningImages(view.clusters, (cluster) => fleet.objectsOf(cluster))
  const published = await gyrarch.registries.published()
  const byDigest = new Map(published.images.map((image) => [image.digest, image]))
  const rows = [...contents]
    .filter(([, held]) => held.tags.size > 0)
    .map(([repository, held]) => rowOf(repository, held, byDigest, runs))
  // What runs comes first.
  rows.sort((a, b) => b.pods - a.pods || compareText(a.repository, b.repository))
  const wanted = searchParams.get('repository') ?? ''
  const chosen = contents.get(wanted)
  const images = chosen ? await imagesIn(registry, wanted, chosen, runs, Date.parse(view.now)) : []
  return {
    registries,
    at,
    rows,
    images: images.map((image) => withShares(image, published)),
    access,
    now,
  }
}

/** The layers of an image with the number of other images that are made of each too. */
function withShares(image: RegistryImage, published: Published) {
  const users = new Map<string, number>()
  for (const sibling of published.images)
    for (const { digest } of sibling.layers) users.set(digest, (users.get(digest) ?? 0) + 1)
  return {
    ...image,
    layers: image.layers.map((layer) => ({
      ...layer,
      shared: Math.max(0, (users.get(layer.digest) ?? 1) - 1),
    })),
  }
}

const columns: readonly Column<RepositoryRow>[] = [
  {
    name: 'repository',
    value: (row) => row.repository,
    show: (row) => <span className="mono">{row.repository}</span>,
  },
  { name: 'tags', value: (row) => row.tags, number: true },
  {
    name: 'signed',
    value: (row) => row.unsigned,
    show: (row) =>
      row.unsigned === 0 ? (
        <StateText state="well">all</StateText>
      ) : (
        <StateText state="strained">{`not ${countText(row.unsigned, 'tag')}`}</StateText>
      ),
  },
  {
    name: 'findings',
    value: (row) => (row.worst === null ? 0 : severities.indexOf(row.worst) + 1),
    show: (row) =>
      row.worst === null ? (
        <span className="soft">none</span>
      ) : (
        <StateText state={stateOfSeverity[row.worst]}>
          {row.findings === 1 ? row.worst : `${row.findings}, up to ${row.worst}`}
        </StateText>
      ),
  },
  {
    name: 'pods that run it',
    value: (row) => row.pods,
    show: (row) => (row.moved === 0 ? row.pods : `${row.pods}, ${row.moved} under a moved tag`),
    number: true,
  },
  { name: 'in', value: (row) => listText(row.clusters, 3) || 'no cluster' },
]

/** Without a choice: which repositories hold what nobody vouches for, and where the gravest findings run. */
function Doubtful({
  rows,
  linkTo,
}: {
  readonly rows: readonly RepositoryRow[]
  readonly linkTo: (repository: string) => string
}) {
  const doubtful = rows.filter((row) => row.unsigned > 0)
  const grave = rows.filter((row) => row.worst === 'critical' || row.worst === 'high')
  const facts = (of: readonly RepositoryRow[], says: (row: RepositoryRow) => string) => (
    <RowFacts
      rows={of.slice(0, 8).map((row) => ({
        key: row.repository,
        value: says(row),
        to: linkTo(row.repository),
      }))}
    />
  )
  const podsText = (row: RepositoryRow): string =>
    row.pods === 0 ? 'runs nowhere' : countText(row.pods, 'pod')
  return (
    <>
      <h2>
        <StateGlyph state={grave.length === 0 ? 'well' : 'broken'} />{' '}
        {grave.length === 0
          ? 'No grave findings'
          : `Grave findings in ${countText(grave.length, 'repository', 'repositories')}`}
      </h2>
      {facts(grave, (row) => `${row.worst}, ${podsText(row)}`)}
      <h2>
        <StateGlyph state={doubtful.length === 0 ? 'well' : 'strained'} />{' '}
        {doubtful.length === 0
          ? 'Every tag is signed'
          : `${countText(doubtful.length, 'repository has', 'repositories have')} unsigned tags`}
      </h2>
      {facts(doubtful, podsText)}
      <p className="soft">
        Choose a repository to see its tags, who vouches for each, and where it runs. Any OCI client
        can pull and push here.
      </p>
    </>
  )
}

/** Namespaces that run some images. */
function placesOf(images: readonly TagImage[]) {
  const places = new Map(
    images.flatMap(({ runs }) =>
      runs.map(({ cluster, workload }) => {
        const namespace = workload.split('/')[0] ?? ''
        return [`${cluster} ${namespace}`, { cluster, namespace }] as const
      }),
    ),
  )
  return [...places.values()]
}

const Listens = ({ address }: { readonly address: string }) => (
  <span className="soft">
    speaks the OCI distribution API at <span className="mono">{address}</span>
  </span>
)

/** What runs although it should not. */
function attentionOf(rows: readonly RepositoryRow[]): AttentionProps {
  const running = rows.filter(({ pods }) => pods > 0)
  const grave = running.filter(({ worst }) => worst === 'critical' || worst === 'high').length
  const moved = running.reduce((sum, row) => sum + row.moved, 0)
  return {
    wants: [
      ...(grave > 0
        ? [
            countText(
              grave,
              'repository runs with grave findings',
              'repositories run with grave findings',
            ),
          ]
        : []),
      ...(moved > 0
        ? [
            countText(
              moved,
              'pod runs what its tag no longer names',
              'pods run what their tags no longer name',
            ),
          ]
        : []),
    ],
    well: 'nothing that runs has grave findings',
  }
}

export default function RegistriesPage({ loaderData }: Route.ComponentProps) {
  const { registries, at, rows, images, access, now } = loaderData
  const [search] = useSearchParams()
  const navigate = useNavigate()
  const address = useAddress()
  const go = (query: Readonly<Record<string, string | null>>): void =>
    void navigate(address('/store/registries', { ...Object.fromEntries(search), ...query }), {
      preventScrollReset: true,
    })
  const chosen = rows.find((row) => row.repository === search.get('repository'))
  return (
    <Page
      title="Registries"
      beside={
        <>
          <Attention {...attentionOf(rows)} />
          {at?.address ? <Listens address={at.address} /> : null}
        </>
      }
      reason={
        chosen && at ? (
          <>
            <h2 className="mono">{chosen.repository}</h2>
            <RepositoryAccess
              registry={at.name}
              repository={chosen.repository}
              access={access}
              places={placesOf(images)}
            />
            {images.map((image) => (
              <TagFacts
                key={image.tag}
                image={image}
                registry={at.name}
                address={at.address ?? at.name}
              />
            ))}
          </>
        ) : (
          <>
            <Doubtful
              rows={rows}
              linkTo={(repository) =>
                address('/store/registries', { ...Object.fromEntries(search), repository })
              }
            />
            {at ? <AccessFacts registry={at.name} access={access} now={now} /> : null}
          </>
        )
      }
    >
      <StoreTabs here="/store/registries" />
      <div className="store-page">
        <div className="what-if">
          <b>Registry</b>
          <Choice
            label="Registry"
            hideLabel
            value={at?.name ?? ''}
            options={registries.map(({ name, site }) => ({
              value: name,
              says: `${name} (${site})`,
            }))}
            onChange={(name) => go({ registry: name, repository: null })}
          />
          {at ? <TakeImages registry={at.name} /> : null}
        </div>
        <Table
          name="repositories"
          columns={columns}
          rows={rows}
          id={(row) => row.repository}
          selected={chosen?.repository ?? null}
          onSelect={(row) => go({ repository: row.repository })}
          empty="Nothing has been pushed here yet."
        />
      </div>
    </Page>
  )
}
