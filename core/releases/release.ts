/** The release catalogue as far as provisioning needs it. */
import { compareReleases, minorLine } from '../units'

export interface Release {
  readonly version: string
  /** ISO dates. */
  readonly released: string
  readonly endOfSupport: string
  readonly architectures: readonly string[]
  readonly baseImage: string
  readonly minimumRootDiskGb: number
  /** Why it is not to be used, or null. */
  readonly withdrawn: string | null
}

/** The catalogue newest first. */
export const newestFirst = (catalogue: readonly Release[]): readonly Release[] =>
  [...catalogue].sort((a, b) => compareReleases(b.version, a.version))

/** Whether support has ended on the day of `now` (ISO time); the day named is the last supported one. */
export const isUnsupported = (release: Release, now: string): boolean =>
  now.slice(0, 10) > release.endOfSupport

/** Whole days from `now` to the end of support; negative when it is over. */
export const supportDaysLeft = (release: Release, now: string): number =>
  Math.round((Date.parse(release.endOfSupport) - Date.parse(now.slice(0, 10))) / 86_400_000)

/**
 * The release meant by "1.33.2", or by a minor line "1.33": its newest patch that is not withdrawn. Undefined if there is none.
 */
export function findRelease(catalogue: readonly Release[], wanted: string): Release | undefined {
  return (
    catalogue.find((release) => release.version === wanted) ??
    newestFirst(catalogue).find(
      (release) => release.withdrawn === null && minorLine(release.version) === wanted,
    )
  )
}
