/** The stand-in’s scanner: what it finds in images by their layers, and how grave that is thought to be on a day. */
import { parse } from 'yaml'
import { z } from 'zod'
import findings from '~/demo/findings.yaml?raw'
import { severities, type Severity } from '~/core/shipment'
import { layerNamed } from '../connectors/standin/published'

const severity = z.enum(severities)

const findingsFile = z.object({
  findings: z.array(
    z.object({
      id: z.string(),
      severity,
      package: z.string(),
      mendedIn: z.string().nullable(),
      layer: z.string(),
      since: z.iso.datetime(),
      becomes: z.array(z.object({ at: z.iso.datetime(), severity })).default([]),
    }),
  ),
})

export interface ImageFinding {
  readonly id: string
  readonly severity: Severity
  readonly package: string
  /** What does not have it any more; null where nothing is there yet. */
  readonly mendedIn: string | null
  /** ISO time. */
  readonly since: string
}

const published = findingsFile.parse(parse(findings)).findings

const gravest = (a: ImageFinding, b: ImageFinding): number =>
  severities.indexOf(b.severity) - severities.indexOf(a.severity)

/** What is found in layers by a time (ms), the gravest first. */
export function findingsIn(layers: readonly string[], now: number): readonly ImageFinding[] {
  const names = new Set(layers.flatMap((digest) => layerNamed(digest) ?? []))
  return published
    .filter((finding) => names.has(finding.layer) && Date.parse(finding.since) <= now)
    .map(({ id, severity: first, package: held, mendedIn, since, becomes }): ImageFinding => ({
      id,
      severity: becomes.findLast(({ at }) => Date.parse(at) <= now)?.severity ?? first,
      package: held,
      mendedIn,
      since,
    }))
    .sort(gravest)
}

const changes = published
  .flatMap(({ since, becomes }) => [since, ...becomes.map(({ at }) => at)])
  .map((at) => Date.parse(at))
  .sort((a, b) => a - b)

/** The first time (ms) after another at which what is found is another; infinite where that stays. */
export const nextFindings = (after: number): number => changes.find((at) => at > after) ?? Infinity
