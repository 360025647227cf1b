/** Images on their way: fetched, written onto drives, taken from them into a registry, and pulled by nodes. */
import { z } from 'zod'
import { redirect } from '../redirects'
import { ref } from '../refs'
import { atCluster, atSite, clusterSlice, siteSlice } from '../places'
import { verb } from '../verb'

const desk = () => ref('desk')
const register = () => ref('register')
const nothing = () => []

const blobs = z.array(z.string())

export const shipmentDrive = z.object({ medium: z.string(), bytes: z.number(), blobs })

/** Where what is waited for is called from: the drive of a shipment, counted from 1. */
export const driveRef = (shipment: string, drive: number) => ref('drive', shipment, String(drive))

/** The blobs of a drive are brought to the packing desk, as fast as its link carries them. */
export const blobsFetch = verb({
  name: 'blobs.fetch',
  port: 'site',
  args: z.object({
    /** Where the registry stands that they are pulled from. */
    site: z.string(),
    bytes: z.number(),
    seconds: z.number(),
  }),
  result: z.object({ bytes: z.number() }),
  failures: [],
  at: atSite,
  touches: nothing,
})

export const shipmentEnter = verb({
  name: 'shipment.enter',
  port: 'ledger',
  args: z.object({
    shipment: z.string(),
    site: z.string(),
    release: z.string().nullable(),
    images: z.array(z.object({ name: z.string(), digest: z.string() })),
    drives: z.array(shipmentDrive),
  }),
  result: z.object({ drives: z.number() }),
  failures: [],
  at: register,
  touches: nothing,
  makes: ({ shipment }) => [ref('shipment', shipment)],
})

export const shipmentStrike = verb({
  name: 'shipment.strike',
  port: 'ledger',
  args: z.object({ shipment: z.string() }),
  result: z.object({}),
  failures: [],
  at: register,
  touches: nothing,
  removes: ({ shipment }) => [ref('shipment', shipment)],
})

/** Blobs go straight into the registry of a site, each verified; those it has are passed over. */
export const blobsSend = verb({
  name: 'blobs.send',
  port: 'desk',
  args: z.object({ shipment: z.string(), site: z.string(), blobs }),
  result: z.object({ sent: z.number(), already: z.number() }),
  failures: ['no-shipment', 'no-registry', 'blob-differs'],
  at: desk,
  touches: nothing,
})

const ofDrive = z.object({ shipment: z.string(), drive: z.number() })

/** A drive is written as an OCI image layout, every blob verified before it leaves. */
export const driveWrite = verb({
  name: 'drive.write',
  port: 'desk',
  args: ofDrive,
  result: z.object({ digest: z.string(), bytes: z.number(), blobs: z.number() }),
  failures: ['no-shipment', 'blob-differs', 'no-room'],
  at: desk,
  touches: nothing,
  makes: ({ shipment, drive }) => [driveRef(shipment, drive)],
})

export const driveErase = verb({
  name: 'drive.erase',
  port: 'desk',
  args: ofDrive,
  result: z.object({}),
  failures: [],
  at: desk,
  touches: nothing,
  removes: ({ shipment, drive }) => [driveRef(shipment, drive)],
})

/** Waits until a drive has been put in at the far side and all of its blobs are in the registry there. */
export const driveAwait = verb({
  name: 'drive.await',
  port: 'desk',
  args: ofDrive.extend({ site: z.string() }),
  result: z.object({ taken: z.number() }),
  failures: ['no-shipment', 'no-registry'],
  at: desk,
  touches: nothing,
  awaits: ({ shipment, drive }) => driveRef(shipment, drive),
})

export const driveForget = verb({
  name: 'drive.forget',
  port: 'desk',
  args: ofDrive.extend({ site: z.string() }),
  result: z.object({}),
  failures: [],
  at: desk,
  touches: nothing,
})

/** Images whose blobs are all there are entered under their tags, with their signatures. */
export const imagesEnter = verb({
  name: 'images.enter',
  port: 'desk',
  args: z.object({ shipment: z.string(), site: z.string() }),
  result: z.object({ images: z.number(), signed: z.number() }),
  failures: ['no-shipment', 'no-registry', 'blob-missing', 'signature-wrong'],
  at: desk,
  touches: siteSlice,
})

export const imagesWithdraw = verb({
  name: 'images.withdraw',
  port: 'desk',
  args: z.object({ shipment: z.string(), site: z.string() }),
  result: z.object({}),
  failures: [],
  at: desk,
  touches: siteSlice,
})

/** Tells every node of a cluster where to look for images instead. */
export const nodesRedirect = verb({
  name: 'nodes.redirect',
  port: 'cluster',
  args: z.object({ cluster: z.string(), redirects: z.array(redirect) }),
  result: z.object({ before: z.array(redirect) }),
  failures: [],
  at: atCluster,
  touches: clusterSlice,
})

/** Every node of a cluster pulls some images. */
export const imagesPull = verb({
  name: 'images.pull',
  port: 'cluster',
  args: z.object({
    cluster: z.string(),
    images: z.array(z.object({ name: z.string(), digest: z.string().nullable() })),
    /** For which they pull, with what they show for it; absent is for none. */
    namespace: z.string().optional(),
  }),
  result: z.object({ nodes: z.number(), images: z.number() }),
  failures: ['image-not-pulled', 'image-denied', 'image-differs'],
  at: atCluster,
  touches: nothing,
})

const ofTag = z.object({
  registry: z.string(),
  repository: z.string(),
  tag: z.string(),
  digest: z.string(),
})

/** The release desk vouches for an image: its signature becomes one of the image’s referrers. */
export const imageSign = verb({
  name: 'image.sign',
  port: 'desk',
  args: ofTag,
  result: z.object({ signature: z.string() }),
  failures: ['no-registry', 'no-image'],
  at: desk,
  touches: nothing,
})

export const imageUnsign = verb({
  name: 'image.unsign',
  port: 'desk',
  args: ofTag.extend({ signature: z.string() }),
  result: z.object({}),
  failures: [],
  at: desk,
  touches: nothing,
})

/** A tag is taken away; the image it stood for stays under its digest. */
export const imageUntag = verb({
  name: 'image.untag',
  port: 'desk',
  args: ofTag,
  result: z.object({}),
  failures: ['no-registry'],
  at: desk,
  touches: nothing,
})

export const imageTag = verb({
  name: 'image.tag',
  port: 'desk',
  args: ofTag,
  result: z.object({}),
  failures: ['no-registry'],
  at: desk,
  touches: nothing,
})
