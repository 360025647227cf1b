/** The catalogue as it is recorded: releases with their images, the ways between them, and add-ons. */
import type { Published, PublishedAddOn } from '~/core/releases'
import { compareReleases } from '~/core/units'
import { publishedBlob } from '../connectors/standin/published'
import { demoDesk, loadDemoCatalogue, publishDemoImages } from '../demo/catalogue'
import type { Database } from '../records/database'
import { AddOnVersionRow, ImageRow, ReleaseEdgeRow } from '../records/catalogue-rows'
import { ReleaseRow } from '../records/models'

export class Catalogue {
  private kept: Promise<Published> | null = null
  private published: Promise<void> | null = null

  constructor(private readonly database: Database) {}

  /** All of it, read once. */
  contents(): Promise<Published> {
    // What failed once is tried again by the next who asks.
    this.kept ??= this.read().catch((error: unknown) => {
      this.kept = null
      throw error
    })
    return this.kept
  }

  /** The bytes of a blob that the catalogue names. */
  async blob(digest: string): Promise<Uint8Array> {
    this.published ??= publishDemoImages().catch((error: unknown) => {
      this.published = null
      throw error
    })
    await this.published
    const bytes = publishedBlob(digest)
    if (!bytes) throw new Error(`nobody publishes ${digest}`)
    return bytes
  }

  private async read(): Promise<Published> {
    await loadDemoCatalogue(this.database)
    const [releases, edges, versions, images] = await Promise.all([
      ReleaseRow.findAll(),
      ReleaseEdgeRow.findAll(),
      AddOnVersionRow.findAll({ order: [['addOn', 'ASC']] }),
      ImageRow.findAll({ order: [['digest', 'ASC']] }),
    ])
    return {
      releases: releases
        .map(({ version, withdrawn, images: digests }) => ({
          version,
          ...(withdrawn === null ? {} : { withdrawn }),
          images: digests,
        }))
        .sort((a, b) => compareReleases(a.version, b.version)),
      edges: edges.map(({ from, to, withdrawn }) => ({
        from,
        to,
        ...(withdrawn === null ? {} : { withdrawn }),
      })),
      addOns: addOnsOf(versions),
      images: images.map(({ digest, name, bytes, layers, signedBy }) => ({
        digest,
        name,
        bytes,
        layers,
        signed: signedBy !== null,
        signedBy,
      })),
      desk: demoDesk(),
    }
  }
}

function addOnsOf(rows: readonly AddOnVersionRow[]): readonly PublishedAddOn[] {
  const names = [...new Set(rows.map((row) => row.addOn))]
  return names.map((name) => {
    const own = rows.filter((row) => row.addOn === name)
    // The steady channel first: it is what one means unless one says otherwise.
    const channels = [...new Set(own.map((row) => row.channel))].sort().reverse()
    return {
      name,
      channels: channels.map((channel) => ({
        name: channel,
        versions: own
          .filter((row) => row.channel === channel)
          .map(({ version, min, max, replaces, images }) => ({
            version,
            min,
            max,
            replaces,
            images,
          }))
          .sort((a, b) => compareReleases(a.version, b.version)),
      })),
    }
  })
}
