/** What a shipment is computed from: a catalogue of releases, add-ons and images, what a site has, and what it should run. */
import { z } from 'zod'
import { findingSeverities, type FindingSeverity } from '../contract'
import { compareReleases, parseVersion } from '../units'
import { catalogueMistake } from '../releases'

const name = z.string().min(1, 'A name is missing.').max(253)
const digest = z.string().min(1, 'A digest is missing.').max(200)
const bytes = z.int('Sizes are whole bytes.').min(0).max(Number.MAX_SAFE_INTEGER)
const rate = z.number().positive('A rate is above 0.').max(1e15)

export const versionSchema = z
  .string()
  .max(20)
  .refine((text) => parseVersion(text) !== null, 'Write a version as major.minor.patch: 1.33.2.')

export { findingSeverities as severities } from '../contract'
export type Severity = FindingSeverity

export const releaseEdgeSchema = z.object({
  from: versionSchema,
  to: versionSchema,
  withdrawn: z.string().max(1000).optional(),
})

const imageSchema = z.object({
  digest,
  name: z.string().max(1000),
  /** Of the manifest. */
  bytes,
  layers: z.array(z.object({ digest, bytes })).max(1000),
  signed: z.boolean(),
  vulnerabilities: z
    .array(z.object({ id: z.string().max(200), severity: z.enum(findingSeverities) }))
    .max(100_000)
    .optional(),
})

const addOnVersionSchema = z.object({
  version: versionSchema,
  replaces: z.array(versionSchema).max(1000).optional(),
  images: z.array(digest).max(10_000),
})

const wantedAddOnSchema = z.object({
  name,
  channel: name,
  pick: z.enum(['latest', 'range', 'list']),
  from: versionSchema.optional(),
  to: versionSchema.optional(),
  versions: z.array(versionSchema).max(10_000).optional(),
})

export const mediumSchema = z.object({
  name,
  bytes: z.int().min(1, 'A drive holds at least a byte.').max(Number.MAX_SAFE_INTEGER),
  count: z.int().min(0).max(1_000_000).optional(),
})

export const shipmentSchema = z.object({
  releases: z
    .array(
      z.object({
        version: versionSchema,
        withdrawn: z.string().max(1000).optional(),
        images: z.array(digest).max(10_000),
      }),
    )
    .max(10_000),
  edges: z.array(releaseEdgeSchema).max(100_000),
  addOns: z
    .array(
      z.object({
        name,
        channels: z
          .array(z.object({ name, versions: z.array(addOnVersionSchema).max(10_000) }))
          .max(1000),
      }),
    )
    .max(10_000),
  images: z.array(imageSchema).max(100_000),
  has: z.object({
    release: versionSchema.optional(),
    addOns: z.record(z.string(), versionSchema).optional(),
    digests: z.array(digest).max(2_000_000),
    diskFreeBytes: bytes.optional(),
  }),
  want: z.object({
    release: versionSchema.optional(),
    steps: z.boolean().optional(),
    addOns: z.array(wantedAddOnSchema).max(10_000).optional(),
    images: z.array(digest).max(100_000).optional(),
  }),
  hold: z
    .object({ unsigned: z.boolean().optional(), severity: z.enum(findingSeverities).optional() })
    .optional(),
  media: z.array(mediumSchema).max(1000),
  link: z
    .object({
      bytesPerSecond: rate,
      streamBytesPerSecond: rate,
      parallel: z.int().min(1).max(100_000),
    })
    .optional(),
})

export type ShipmentOrder = z.infer<typeof shipmentSchema>
export type ShipmentImage = ShipmentOrder['images'][number]
export type AddOn = ShipmentOrder['addOns'][number]
export type AddOnVersion = z.infer<typeof addOnVersionSchema>
export type WantedAddOn = z.infer<typeof wantedAddOnSchema>
export type Medium = z.infer<typeof mediumSchema>

export interface Mistake {
  /** As a field is named in an error: `want.addOns[0].channel`. */
  readonly path: string
  readonly says: string
}

const mistake = (path: string, says: string): Mistake => ({ path, says })

/** The first name that comes twice in a list, as a mistake at its second place. */
function firstRepeated(
  names: readonly string[],
  place: (index: number) => string,
  what: string,
): Mistake | null {
  const seen = new Set<string>()
  for (const [index, text] of names.entries()) {
    if (seen.has(text))
      return mistake(place(index), `${what} ${text} is given twice. Leave one out.`)
    seen.add(text)
  }
  return null
}

function addOnMistake(addOns: readonly AddOn[]): Mistake | null {
  const named = firstRepeated(
    addOns.map((addOn) => addOn.name),
    (index) => `addOns[${index}].name`,
    'The add-on',
  )
  if (named) return named
  for (const [at, { channels }] of addOns.entries()) {
    const channelTwice = firstRepeated(
      channels.map((channel) => channel.name),
      (index) => `addOns[${at}].channels[${index}].name`,
      'The channel',
    )
    if (channelTwice) return channelTwice
    for (const [nth, { versions }] of channels.entries()) {
      const versionTwice = firstRepeated(
        versions.map(({ version }) => version),
        (index) => `addOns[${at}].channels[${nth}].versions[${index}].version`,
        'The version',
      )
      if (versionTwice) return versionTwice
    }
  }
  return null
}

/** Images given twice, and digests that are said to have two sizes. */
function imageMistake(images: readonly ShipmentImage[]): Mistake | null {
  const twice = firstRepeated(
    images.map((image) => image.digest),
    (index) => `images[${index}].digest`,
    'The image',
  )
  if (twice) return twice
  const sizes = new Map<string, number>()
  const differs = (text: string, size: number): boolean => {
    const before = sizes.get(text)
    if (before === undefined) sizes.set(text, size)
    return before !== undefined && before !== size
  }
  for (const [at, image] of images.entries()) {
    if (differs(image.digest, image.bytes))
      return mistake(
        `images[${at}].bytes`,
        `${image.digest} has two sizes. A digest stands for the same bytes everywhere.`,
      )
    for (const [nth, layer] of image.layers.entries()) {
      if (differs(layer.digest, layer.bytes))
        return mistake(
          `images[${at}].layers[${nth}].bytes`,
          `${layer.digest} has two sizes. A digest stands for the same bytes everywhere.`,
        )
    }
  }
  return null
}

/** Digests that are named but are no image of the catalogue. */
function danglingImage(order: ShipmentOrder): Mistake | null {
  const images = new Set(order.images.map((image) => image.digest))
  const dangling = (digests: readonly string[], path: string): Mistake | null => {
    const at = digests.findIndex((text) => !images.has(text))
    return at < 0
      ? null
      : mistake(
          `${path}[${at}]`,
          `There is no image ${digests[at] ?? ''} among the images. Add it, or leave it out.`,
        )
  }
  for (const [at, release] of order.releases.entries()) {
    const match = dangling(release.images, `releases[${at}].images`)
    if (match) return match
  }
  for (const [at, addOn] of order.addOns.entries())
    for (const [nth, channel] of addOn.channels.entries())
      for (const [index, { images: wanted }] of channel.versions.entries()) {
        const match = dangling(wanted, `addOns[${at}].channels[${nth}].versions[${index}].images`)
        if (match) return match
      }
  return dangling(order.want.images ?? [], 'want.images')
}

function wantedAddOnMistake(order: ShipmentOrder): Mistake | null {
  for (const [at, wanted] of (order.want.addOns ?? []).entries()) {
    const here = `want.addOns[${at}]`
    const addOn = order.addOns.find((candidate) => candidate.name === wanted.name)
    if (!addOn) return mistake(`${here}.name`, `There is no add-on ${wanted.name}.`)
    const channel = addOn.channels.find((candidate) => candidate.name === wanted.channel)
    if (!channel)
      return mistake(
        `${here}.channel`,
        `${wanted.name} has no channel ${wanted.channel}. It has ${addOn.channels.map((candidate) => candidate.name).join(', ') || 'none'}.`,
      )
    if (wanted.pick === 'list') {
      if (!wanted.versions)
        return mistake(`${here}.versions`, 'Which versions? Name them, or pick the latest.')
      const nth = wanted.versions.findIndex(
        (version) => !channel.versions.some((candidate) => candidate.version === version),
      )
      if (nth >= 0)
        return mistake(
          `${here}.versions[${nth}]`,
          `${wanted.name} has no version ${wanted.versions[nth] ?? ''} in ${channel.name}.`,
        )
    }
    if (
      wanted.pick === 'range' &&
      wanted.from !== undefined &&
      wanted.to !== undefined &&
      compareReleases(wanted.from, wanted.to) > 0
    )
      return mistake(`${here}.from`, `${wanted.from} is above ${wanted.to}. Give the lower first.`)
  }
  const installed = Object.keys(order.has.addOns ?? {}).find(
    (installedName) => !order.addOns.some((addOn) => addOn.name === installedName),
  )
  return installed === undefined
    ? null
    : mistake(`has.addOns.${installed}`, `There is no add-on ${installed} in the catalogue.`)
}

function releaseMistake({ releases, has, want }: ShipmentOrder): Mistake | null {
  const exists = (version: string | undefined): boolean =>
    version === undefined || releases.some((release) => release.version === version)
  if (!exists(has.release))
    return mistake('has.release', `There is no release ${has.release ?? ''} in the catalogue.`)
  if (!exists(want.release))
    return mistake('want.release', `There is no release ${want.release ?? ''} in the catalogue.`)
  if (
    want.steps === true &&
    has.release !== undefined &&
    want.release !== undefined &&
    compareReleases(want.release, has.release) < 0
  )
    return mistake(
      'want.release',
      `${want.release} is below ${has.release}, and a control plane is not taken back. Ask for ${has.release} or above.`,
    )
  return null
}

/** The first thing that keeps an order from being computed: a name that leads nowhere, a repeat, two sizes of one digest. */
export const orderMistake = (order: ShipmentOrder): Mistake | null =>
  catalogueMistake(order) ??
  addOnMistake(order.addOns) ??
  imageMistake(order.images) ??
  danglingImage(order) ??
  firstRepeated(
    order.media.map((medium) => medium.name),
    (index) => `media[${index}].name`,
    'The medium',
  ) ??
  releaseMistake(order) ??
  wantedAddOnMistake(order)
