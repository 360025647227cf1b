/** Registries: repositories with their tags, who vouches for each image, and where it runs. */
import { useNavigate, useSearchParams } from 'react-router'
import { compareText, countText, decimalBytesText, listText } from '~/core/units'
import { imagesIn, type RegistryImage, runningImages } from '~/server/registries/images'
import { signatureType } from '~/server/registries/signatures'
import { gyrarchContext } from '../../context'
import { Page } from '../../frame/page'
import { Choice } from '../../kit/choice'
import { type Column, Table } from '../../kit/table/table'
import { CopyButton } from '../../parts/copy-button'
import { StateGlyph, StateText } from '../../parts/state'
import { useAddress } from '../../parts/to'
import { fleetAsked } from '../moment'
import { RowFacts } from './row-facts'
import { StoreTabs } from './tabs'
import type { Route } from './+types/registries'
import './store.css'

export const meta: Route.MetaFunction = () => [{ title: 'Registries · Gyrarch' }]

interface RepositoryRow {
  readonly repository: string
  readonly tags: number
  readonly unsigned: number
  readonly pods: number
  readonly clusters: readonly string[]
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
  if (!at || !registry) return { registries, at: null, rows: [], images: [] }
  const contents = await registry.contents()
  const runs = await runningImages(
    view.clusters.filter((cluster) => cluster.apiAnswers).map((cluster) => cluster.name),
    (cluster) => fleet.objectsOf(cluster),
  )
  const rows = [...contents].flatMap(
    ([repository, held]): RepositoryRow | readonly RepositoryRow[] => {
      if (held.tags.size === 0) return []
      const signed = new Set(
        [...held.manifests.values()]
          .filter((manifest) => manifest.artifactType === signatureType)
          .map((manifest) => manifest.subject),
      )
      const running = [...held.tags.keys()].flatMap((tag) => runs.get(`${repository}:${tag}`) ?? [])
      return {
        repository,
        tags: held.tags.size,
        unsigned: [...held.tags.values()].filter((digest) => !signed.has(digest)).length,
        pods: running.reduce((sum, { pods }) => sum + pods, 0),
        clusters: [...new Set(running.map(({ cluster }) => cluster))],
      }
    },
  )
  // What runs comes first.
  rows.sort((a, b) => b.pods - a.pods || compareText(a.repository, b.repository))
  const wanted = searchParams.get('repository') ?? ''
  const chosen = contents.get(wanted)
  return {
    registries,
    at,
    rows,
    images: chosen ? await imagesIn(registry, wanted, chosen, runs) : [],
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
  { name: 'pods that run it', value: (row) => row.pods, number: true },
  { name: 'in', value: (row) => listText(row.clusters, 3) || 'no cluster' },
]

const vouched: Readonly<
  Record<RegistryImage['signature']['state'], { readonly says: string; readonly isWell: boolean }>
> = {
  signed: { says: 'signed by', isWell: true },
  withdrawn: { says: 'signed with a key that was withdrawn,', isWell: false },
  unknown: { says: 'signed by nobody that is known', isWell: false },
  unsigned: { says: 'not signed', isWell: false },
  broken: { says: 'its signature does not hold', isWell: false },
}

function TagFacts({ image, address }: { readonly image: RegistryImage; readonly address: string }) {
  const { says, isWell } = vouched[image.signature.state]
  return (
    <div>
      <h3>
        <span className="mono">:{image.tag}</span>
      </h3>
      <p>
        <StateGlyph state={isWell ? 'well' : 'strained'} /> {says} {image.signature.by ?? ''}
      </p>
      <RowFacts
        rows={[
          { key: 'digest', value: `${image.digest.slice(0, 19)}…` },
          {
            key: 'size',
            value: `${decimalBytesText(image.bytes)} in ${countText(image.layers.length, 'layer')}`,
          },
          ...image.runs.map(({ cluster, workload, pods }) => ({
            key: cluster,
            value: `${workload}, ${countText(pods, 'pod')}`,
          })),
        ]}
      />
      <CopyButton text={() => `${address}/${image.repository}@${image.digest}`}>
        Copy its address
      </CopyButton>
    </div>
  )
}

/** Without a choice: which repositories hold what nobody vouches for. */
function Unsigned({
  rows,
  linkTo,
}: {
  readonly rows: readonly RepositoryRow[]
  readonly linkTo: (repository: string) => string
}) {
  const doubtful = rows.filter((row) => row.unsigned > 0)
  return (
    <>
      <h2>
        <StateGlyph state={doubtful.length === 0 ? 'well' : 'strained'} />{' '}
        {doubtful.length === 0
          ? 'Every tag is signed'
          : `${countText(doubtful.length, 'repository has', 'repositories have')} unsigned tags`}
      </h2>
      <RowFacts
        rows={doubtful.slice(0, 8).map((row) => ({
          key: row.repository,
          value: row.pods === 0 ? 'runs nowhere' : countText(row.pods, 'pod'),
          to: linkTo(row.repository),
        }))}
      />
      <p className="soft">
        Choose a repository to see its tags, who vouches for each, and where it runs. Any OCI client
        can pull and push here.
      </p>
    </>
  )
}

export default function RegistriesPage({ loaderData }: Route.ComponentProps) {
  const { registries, at, rows, images } = loaderData
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
        at?.address ? (
          <span className="soft">
            speaks the OCI distribution API at <span className="mono">{at.address}</span>
          </span>
        ) : null
      }
      reason={
        chosen && at ? (
          <>
            <h2 className="mono">{chosen.repository}</h2>
            {images.map((image) => (
              <TagFacts key={image.tag} image={image} address={at.address ?? at.name} />
            ))}
          </>
        ) : (
          <Unsigned
            rows={rows}
            linkTo={(repository) =>
              address('/store/registries', { ...Object.fromEntries(search), repository })
            }
          />
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
