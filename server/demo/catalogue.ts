/** The demo’s catalogue: edges between releases, add-ons, and the images of both. */
import { z } from 'zod'
import addOns from '~/demo/add-ons.yaml?raw'
import releases from '~/demo/releases.yaml?raw'
import { mediumSchema, releaseEdgeSchema, versionSchema } from '~/core/shipment'
import { addOnImages, catalogueImage, releaseImages } from '../connectors/standin/published'
import { breath } from '../breath'
import { parse } from './scenario'
import type { Database } from '../records/database'
import { AddOnVersionRow, ImageRow, ReleaseEdgeRow } from '../records/catalogue-rows'
import { ReleaseRow } from '../records/models'

const edgesSchema = z.object({ edges: z.array(releaseEdgeSchema) })

const addOnsSchema = z.object({
  addOns: z.array(
    z.object({
      name: z.string(),
      says: z.string(),
      megabytes: z.number(),
      channels: z.array(
        z.object({
          name: z.string(),
          versions: z.array(
            z.object({
              version: versionSchema,
              min: z.string().optional(),
              max: z.string().optional(),
              replaces: z.array(versionSchema).default([]),
            }),
          ),
        }),
      ),
    }),
  ),
  desk: z.object({
    media: z.array(mediumSchema),
    link: z.object({
      bytesPerSecond: z.number(),
      streamBytesPerSecond: z.number(),
      parallel: z.number(),
    }),
  }),
})

/** What carries shipments, and how fast it is filled. */
export const demoDesk = () => addOnsSchema.parse(parse(addOns)).desk

/** Who signs what is published. */
const publisher = 'release-desk'

/**
 * Publishes every image of the recorded releases and of all add-ons in this process, so that their bytes can be had;
 * others have their turn between two releases.
 */
export async function publishDemoImages(): Promise<void> {
  for (const row of await ReleaseRow.findAll()) {
    for (const image of releaseImages(row.version, row.baseImage)) catalogueImage(image)
    await breath()
  }
  for (const addOn of addOnsSchema.parse(parse(addOns)).addOns)
    for (const channel of addOn.channels)
      for (const { version } of channel.versions)
        for (const image of addOnImages(addOn.name, version, addOn.megabytes)) catalogueImage(image)
}

/** Fills the catalogue of records that hold none yet, those of an earlier version too; false where there is one. */
export async function loadDemoCatalogue(database: Database): Promise<boolean> {
  if ((await ImageRow.count()) > 0) return false
  const images = new Map<string, ReturnType<typeof catalogueImage>>()
  const digestsOf = (published: Parameters<typeof catalogueImage>[0][]): string[] =>
    published.map((image) => {
      const made = catalogueImage(image)
      images.set(made.digest, made)
      return made.digest
    })
  const rows = await ReleaseRow.findAll()
  const byRelease = rows.map((row) => ({
    row,
    digests: digestsOf([...releaseImages(row.version, row.baseImage)]),
  }))
  const versions = addOnsSchema.parse(parse(addOns)).addOns.flatMap((addOn) =>
    addOn.channels.flatMap((channel) =>
      channel.versions.map(({ version, min, max, replaces }) => ({
        addOn: addOn.name,
        channel: channel.name,
        version,
        min: min ?? null,
        max: max ?? null,
        replaces,
        images: digestsOf([...addOnImages(addOn.name, version, addOn.megabytes)]),
      })),
    ),
  )
  const recorded = new Set(rows.map((row) => row.version))
  const { edges } = edgesSchema.parse(parse(releases))
  await database.write(async (transaction) => {
    for (const { row, digests } of byRelease) await row.update({ images: digests }, { transaction })
    await ReleaseEdgeRow.bulkCreate(
      edges
        .filter(({ from, to }) => recorded.has(from) && recorded.has(to))
        .map(({ from, to, withdrawn }) => ({ from, to, withdrawn: withdrawn ?? null })),
      { transaction },
    )
    await AddOnVersionRow.bulkCreate(versions, { transaction })
    await ImageRow.bulkCreate(
      [...images.values()].map(({ digest, name, bytes, layers }) => ({
        digest,
        name,
        bytes,
        layers: [...layers],
        signedBy: publisher,
      })),
      { transaction },
    )
  })
  return true
}
