/** Which versions of an add-on a shipment carries: the newest of a channel with the steps to it, a range, or those named. */
import { byVersion } from '../releases'
import { compareReleases } from '../units'
import type { AddOnVersion, WantedAddOn } from './catalogue'

export type Picked =
  | { readonly ok: true; readonly versions: readonly string[] }
  | { readonly ok: false; readonly says: string }

const highestFirst = (a: string, b: string): number => byVersion(b, a)

/** The version of a channel that no other of it replaces; the highest, if there are several. */
export function newestOf(versions: readonly AddOnVersion[]): string | undefined {
  const replaced = new Set(
    versions.flatMap(({ version, replaces }) =>
      (replaces ?? []).filter((older) => older !== version),
    ),
  )
  return versions
    .map(({ version }) => version)
    .filter((version) => !replaced.has(version))
    .sort(highestFirst)[0]
}

/**
 * The versions after `installed` on the shortest chain of `replaces` to `target`, the target included; of equally short
 * chains the one with the highest versions from the first on. Null where no chain leads there.
 */
export function replacementChain(
  versions: readonly AddOnVersion[],
  installed: string,
  target: string,
): readonly string[] | null {
  if (installed === target) return []
  const replacesOf = new Map(versions.map(({ version, replaces }) => [version, replaces ?? []]))
  // Backwards from the target: how many replacements lie between each version and it.
  const stepsLeft = new Map([[target, 0]])
  for (const [version, steps] of stepsLeft) {
    for (const older of replacesOf.get(version) ?? [])
      if (!stepsLeft.has(older)) stepsLeft.set(older, steps + 1)
  }
  const total = stepsLeft.get(installed)
  if (total === undefined) return null
  const chain: string[] = []
  let at = installed
  for (let left = total - 1; left >= 0; left -= 1) {
    const here = at
    const next = versions
      .filter(
        ({ version, replaces }) =>
          stepsLeft.get(version) === left && (replaces ?? []).includes(here),
      )
      .map(({ version }) => version)
      .sort(highestFirst)[0]
    if (next === undefined) return null
    chain.push(next)
    at = next
  }
  return chain
}

/** The versions to carry of a channel’s; a chain or a newest version that does not exist is said. */
export function pickVersions(
  wanted: WantedAddOn,
  versions: readonly AddOnVersion[],
  installed: string | undefined,
): Picked {
  switch (wanted.pick) {
    case 'list':
      return { ok: true, versions: wanted.versions ?? [] }
    case 'range': {
      const { from, to } = wanted
      return {
        ok: true,
        versions: versions
          .map(({ version }) => version)
          .filter(
            (version) =>
              (from === undefined || compareReleases(version, from) >= 0) &&
              (to === undefined || compareReleases(version, to) <= 0),
          ),
      }
    }
    case 'latest': {
      const newest = newestOf(versions)
      if (newest === undefined)
        return {
          ok: false,
          says: `Every version of ${wanted.name} in ${wanted.channel} is replaced by another: there is no latest. Name the versions instead.`,
        }
      if (installed === undefined) return { ok: true, versions: [newest] }
      const chain = replacementChain(versions, installed, newest)
      return chain
        ? { ok: true, versions: chain }
        : {
            ok: false,
            says: `No chain of replacements in ${wanted.channel} leads from ${wanted.name} ${installed} to ${newest}. Pick a range or name the versions.`,
          }
    }
  }
}
