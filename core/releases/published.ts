/** All that is published: releases and the ways between them, add-ons, the images of both, and what can carry them. */
import type { CatalogueRelease, ReleaseEdge } from './path'

export interface PublishedAddOnVersion {
  readonly version: string
  /** The minors of a cluster’s release that it fits; null is open. */
  readonly min: string | null
  readonly max: string | null
  readonly replaces: readonly string[]
  /** Digests. */
  readonly images: readonly string[]
}

export interface PublishedAddOn {
  readonly name: string
  readonly channels: readonly {
    readonly name: string
    readonly versions: readonly PublishedAddOnVersion[]
  }[]
}

export interface PublishedImage {
  readonly digest: string
  /** With its tag, without a registry: `platform/api-server:1.33.2`. */
  readonly name: string
  /** Of the manifest. */
  readonly bytes: number
  readonly layers: readonly { readonly digest: string; readonly bytes: number }[]
  readonly signed: boolean
  readonly signedBy: string | null
  readonly vulnerabilities?: readonly {
    readonly id: string
    readonly severity: 'low' | 'medium' | 'high' | 'critical'
  }[]
}

/** The catalogue as it came to a site without a link: from it alone the site computes its paths. */
export interface CarriedCatalogue extends Pick<Published, 'releases' | 'edges' | 'addOns'> {
  readonly images: readonly Pick<PublishedImage, 'digest' | 'name'>[]
}

export interface Published {
  readonly releases: readonly (CatalogueRelease & { readonly images: readonly string[] })[]
  readonly edges: readonly ReleaseEdge[]
  readonly addOns: readonly PublishedAddOn[]
  readonly images: readonly PublishedImage[]
  /** By site without a link. */
  readonly carried?: Readonly<Record<string, CarriedCatalogue>>
  /** Media at hand and the link over which they are filled. */
  readonly desk: {
    readonly media: readonly {
      readonly name: string
      readonly bytes: number
      readonly count?: number | undefined
    }[]
    readonly link: {
      readonly bytesPerSecond: number
      readonly streamBytesPerSecond: number
      readonly parallel: number
    }
  }
}

/** What a site knows of what is published: all of it, or what was carried to it. Where nothing was yet, it is told all of it. */
export const publishedAt = (
  published: Published,
  site: { readonly name: string; readonly connected: boolean },
): CarriedCatalogue => (site.connected ? undefined : published.carried?.[site.name]) ?? published
