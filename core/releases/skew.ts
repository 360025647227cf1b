/**
 * How far node agents may lag behind the API of their cluster. Source: Kubernetes, Version Skew Policy, “kubelet”: never
 * newer, and at most three minors older (two while the API is older than 1.28).
 */
import { compareReleases, parseVersion } from '../units'

/** The first release whose agents may be three minors older. */
const widerFrom = 28

/** Whether agents of a version are too old for the API of another; versions that do not read are. */
export function isTooOld(agent: string, api: string): boolean {
  const [older, newer] = [parseVersion(agent), parseVersion(api)]
  if (!older || !newer || older.major !== newer.major) return compareReleases(agent, api) < 0
  return newer.minor - older.minor > (newer.minor < widerFrom ? 2 : 3)
}

/** Whether agents are newer than the API, by whole versions. */
export const isNewer = (agent: string, api: string): boolean => compareReleases(agent, api) > 0
