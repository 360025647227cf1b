/**
 * What is published: the images of releases and add-ons, and how they are made of layers. A component shares its base with
 * its neighbours, some layers with all patches of its minor, and has some of its own.
 */
import { uniform } from '../engine/random'

export interface PublishedLayer {
  /** What its bytes are made from. */
  readonly name: string
  /** Its size in the catalogue. */
  readonly bytes: number
}

export interface PublishedImage {
  /** With its tag: `platform/api-server:1.33.2`. */
  readonly name: string
  readonly layers: readonly PublishedLayer[]
}

const seed = 14

export const components = [
  'api-server',
  'controller',
  'scheduler',
  'state-store',
  'node-agent',
  'service-proxy',
  'name-server',
  'cloud-link',
  'storage-link',
  'snapshot-keeper',
  'certificate-signer',
  'admission',
  'node-problems',
  'sandbox',
] as const

/** Parts of an image: shared over minors, over the patches of one minor, and its own. */
const sharedOverMinors = 0.33
const sharedOverPatches = 0.27
/** Of so many minors in a row a base is the same. */
const baseLasts = 4

function layersOf(
  name: string,
  total: number,
  parts: readonly { readonly of: string; readonly share: number; readonly count: number }[],
): readonly PublishedLayer[] {
  return parts.flatMap(({ of, share, count }) => {
    const weights = Array.from(
      { length: count },
      (_, nth) => 0.5 + uniform(seed, `${name}/${of}/${nth}`),
    )
    const sum = weights.reduce((all, weight) => all + weight, 0)
    return weights.map((weight, nth) => ({
      name: `${name}/${of}/${nth}`,
      bytes: Math.round((total * share * weight) / sum),
    }))
  })
}

/** The images of a release: its components, and the base image of its minor. */
export function releaseImages(version: string, baseImage: string): readonly PublishedImage[] {
  const [major = 0, minor = 0] = version.split('.').map(Number)
  const line = `${major}.${minor}`
  const weights = components.map((component) => 0.4 + uniform(seed, component))
  const sum = weights.reduce((all, weight) => all + weight, 0)
  return [
    ...components.map((component, nth): PublishedImage => {
      // A component keeps its size over the minors; what it ships beyond grows with them.
      const total = (3.2e9 * (weights[nth] ?? 0)) / sum
      const grown = 1 + 0.28 * Math.max(0, (minor - 24) / 11)
      const base = Math.floor((minor + nth) / baseLasts)
      const own = 1 - sharedOverMinors - sharedOverPatches
      return {
        name: `platform/${component}:${version}`,
        layers: [
          ...layersOf(component, total, [
            { of: `base ${base}`, share: sharedOverMinors, count: 2 },
          ]),
          ...layersOf(component, total * grown, [
            { of: line, share: sharedOverPatches, count: 1 + (nth % 2) },
            { of: version, share: own, count: 2 + (nth % 2) },
          ]),
        ],
      }
    }),
    {
      name: `platform/${baseImage}:${line}`,
      layers: [{ name: `${baseImage} ${line}`, bytes: 1.4e9 }],
    },
  ]
}

/** Repositories whose images are built on the whole base; all others on the slim one. */
const repositoriesOnWholeBase: ReadonlySet<string> = new Set([
  'climate/climate-loop',
  'climate/sensor-intake',
  'gathering/cold-chain',
])

/** An image of the co-operative’s own: a base that all of them share, what its repository is built on, and each build. */
export function ownImage(repository: string, tag: string): PublishedImage {
  const total = (90 + 160 * uniform(seed, repository)) * 1e6
  return {
    name: `${repository}:${tag}`,
    layers: [
      repositoriesOnWholeBase.has(repository)
        ? { name: 'fern-base full/0', bytes: 58e6 }
        : { name: 'fern-base slim/0', bytes: 31e6 },
      ...layersOf(repository, total, [
        { of: 'base', share: 0.55, count: 2 },
        { of: tag, share: 0.45, count: 2 },
      ]),
    ],
  }
}

/** The images of an add-on’s version: the agent and its controller, over a base that all versions share. */
export function addOnImages(
  addOn: string,
  version: string,
  megabytes: number,
): readonly PublishedImage[] {
  const total = megabytes * 1e6
  return [`${addOn}`, `${addOn}-controller`].map((name, nth) => ({
    name: `add-ons/${name}:${version}`,
    layers: layersOf(name, total * (nth === 0 ? 0.6 : 0.4), [
      { of: 'base', share: 0.4, count: 2 },
      { of: version, share: 0.6, count: 3 },
    ]),
  }))
}
