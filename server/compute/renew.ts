/** The computations about going from one release to another: a cluster’s steps in order, and stages laid into windows. */
import { z } from 'zod'
import { auditManifests, convertManifests } from '~/core/manifests'
import { catalogueMistake, clusterUpgrade, endsMistake } from '~/core/releases'
import { releaseEdgeSchema, versionSchema } from '~/core/shipment'
import { layStages, stageMistake, unlaidReasons } from '~/core/waves'
import { type Occurrence, occurrences } from '~/core/windows'
import { computation, type Computed, refused, value, wrong } from './computation'

const text = z.string().max(1000)
const name = z.string().min(1, 'A name is missing.').max(253)
const minor = z
  .string()
  .max(11)
  .regex(/^\d{1,4}\.\d{1,4}$/, 'Write a minor as major.minor: 1.33.')

/** What keeps a cluster from a release, as answers tell it. */
export const upgradeProblem = z.object({
  kind: z.enum(['no-path', 'pool-newer', 'pool-too-old', 'add-on']),
  name: z.string().optional(),
  at: z.string().optional(),
  says: z.string(),
})

const instant = z.iso.datetime({ offset: true })

/** The first name that comes twice, as a mistake at its second place. */
function repeated(names: readonly string[], path: (index: number) => string): Computed | null {
  const seen = new Set<string>()
  for (const [index, each] of names.entries()) {
    if (seen.has(each)) return wrong(path(index), `${each} is given twice. Leave one out.`)
    seen.add(each)
  }
  return null
}

const upgradeInput = z.object({
  releases: z.array(z.object({ version: versionSchema, withdrawn: text.optional() })).max(10_000),
  edges: z.array(releaseEdgeSchema).max(100_000),
  from: versionSchema,
  to: versionSchema,
  pools: z.array(z.object({ name, version: versionSchema })).max(10_000),
  addOns: z.array(z.object({ name, version: versionSchema })).max(1000),
  addOnCatalogue: z
    .array(
      z.object({
        name,
        versions: z
          .array(
            z.object({
              version: versionSchema,
              min: minor.optional(),
              max: minor.optional(),
              replaces: z.array(versionSchema).max(10_000).optional(),
            }),
          )
          .max(10_000),
      }),
    )
    .max(1000),
})

/** What keeps an upgrade from being computed, or null. */
function upgradeMistake(asked: z.infer<typeof upgradeInput>): Computed | null {
  const { from, to, pools, addOns, addOnCatalogue } = asked
  const mistake = catalogueMistake(asked) ?? endsMistake(asked, from, to)
  if (mistake) return wrong(mistake.path, mistake.says)
  const inCatalogue = addOnCatalogue.map((addOn) => addOn.name)
  return (
    repeated(
      pools.map((pool) => pool.name),
      (index) => `pools[${index}].name`,
    ) ??
    repeated(
      addOns.map((addOn) => addOn.name),
      (index) => `addOns[${index}].name`,
    ) ??
    repeated(inCatalogue, (index) => `addOnCatalogue[${index}].name`) ??
    addOnCatalogue.reduce<Computed | null>(
      (before, { versions }, at) =>
        before ??
        repeated(
          versions.map(({ version }) => version),
          (index) => `addOnCatalogue[${at}].versions[${index}].version`,
        ),
      null,
    )
  )
}

const stage = z.object({
  name,
  cluster: name,
  minutes: z.int().min(1).max(1_000_000),
  after: z.array(name).max(2000).optional(),
})

const stagesInput = z.object({
  stages: z.array(stage).max(2000),
  windows: z
    .array(
      z.object({
        clusters: z.array(name).max(10_000),
        start: text,
        zone: text,
        minutes: z.int().min(1).max(1_000_000),
        rule: text.optional(),
        except: z.array(text).max(10_000).optional(),
      }),
    )
    .max(2000),
  atOnce: z.int().min(1).max(100_000),
  from: instant,
  until: instant,
})

/** The occurrences of each cluster’s windows, by start; or why a window cannot be read. */
function byCluster(
  { windows }: z.infer<typeof stagesInput>,
  from: number,
  until: number,
):
  | { readonly ok: true; readonly of: ReadonlyMap<string, readonly Occurrence[]> }
  | { readonly ok: false; readonly why: Computed } {
  const read = occurrences(
    windows.map(({ clusters: _, ...window }, index) => ({ ...window, name: String(index) })),
    from,
    until,
  )
  if (!read.ok) return { ok: false, why: refused(read) }
  const of = new Map<string, Occurrence[]>()
  for (const occurrence of read.occurrences)
    for (const cluster of new Set(windows[Number(occurrence.window)]?.clusters)) {
      const own = of.get(cluster)
      if (own) own.push(occurrence)
      else of.set(cluster, [occurrence])
    }
  return { ok: true, of }
}

const targetMinor = z
  .string()
  .max(11)
  .regex(/^\d{1,4}\.\d{1,4}$/, 'Name the target as a minor: 1.33.')

const ofObject = { document: z.number(), kind: z.string(), name: z.string().nullable() }

export const renewComputations = [
  computation({
    name: 'removal-audit',
    says: 'Which objects of a text are written in a version that stops being served, and what takes its place.',
    mostMiB: 64,
    input: z.object({ manifests: z.string().max(64 * 1024 * 1024), target: targetMinor }),
    output: z.object({
      objects: z.number(),
      found: z.array(
        z.object({
          document: z.number(),
          line: z.number(),
          apiVersion: z.string(),
          kind: z.string(),
          namespace: z.string().nullable(),
          name: z.string().nullable(),
          removedIn: z.string(),
          gone: z.boolean(),
          successor: z.string().nullable(),
        }),
      ),
      unreadable: z.array(z.object({ document: z.number(), line: z.number(), says: z.string() })),
    }),
    compute: ({ manifests, target }) => value(auditManifests(manifests, target)),
  }),
  computation({
    name: 'convert-manifests',
    says: 'A text with what stops being served written in the version that takes its place; comments and order stay.',
    mostMiB: 64,
    input: z.object({ manifests: z.string().max(64 * 1024 * 1024), target: targetMinor }),
    output: z.object({
      manifests: z.string(),
      converted: z.array(
        z.object({
          ...ofObject,
          from: z.string(),
          to: z.string(),
          changes: z.array(z.object({ path: z.string(), says: z.string() })),
        }),
      ),
      left: z.array(z.object({ ...ofObject, apiVersion: z.string(), decide: z.string() })),
      later: z.array(z.object({ ...ofObject, apiVersion: z.string() })),
      unreadable: z.array(z.object({ document: z.number(), line: z.number(), says: z.string() })),
    }),
    compute: ({ manifests, target }) => value(convertManifests(manifests, target)),
  }),
  computation({
    name: 'cluster-upgrade',
    says: 'The steps that take a cluster from one release to another: add-ons, turnovers of pools, control plane, in order.',
    input: upgradeInput,
    output: z.object({
      path: z.array(z.string()).nullable(),
      steps: z.array(
        z.union([
          z.strictObject({ kind: z.literal('control-plane'), from: z.string(), to: z.string() }),
          z.strictObject({
            kind: z.literal('turnover'),
            pool: z.string(),
            from: z.string(),
            to: z.string(),
          }),
          z.strictObject({
            kind: z.literal('add-on'),
            name: z.string(),
            from: z.string(),
            to: z.string(),
          }),
        ]),
      ),
      problems: z.array(upgradeProblem),
    }),
    compute: (asked) => upgradeMistake(asked) ?? value(clusterUpgrade(asked)),
  }),
  computation({
    name: 'lay-stages',
    says: 'Stages of an upgrade laid into maintenance windows by their worst durations.',
    input: stagesInput,
    output: z.object({
      placed: z.array(z.object({ name: z.string(), start: z.string(), end: z.string() })),
      unplaced: z.array(
        z.object({ name: z.string(), reason: z.enum(unlaidReasons), says: z.string() }),
      ),
    }),
    compute: (asked) => {
      const [from, until] = [Date.parse(asked.from), Date.parse(asked.until)]
      if (until < from)
        return wrong('until', 'It ends before it begins. Give an instant after `from`.')
      const mistake = stageMistake(asked.stages)
      if (mistake) return wrong(mistake.path, mistake.says)
      const read = byCluster(asked, from, until)
      if (!read.ok) return read.why
      const { placed, unplaced } = layStages(
        asked.stages,
        (cluster) => read.of.get(cluster) ?? [],
        asked.atOnce,
        from,
        until,
      )
      const iso = (at: number): string => new Date(at).toISOString()
      return value({
        placed: placed.map(({ name: of, start, end }) => ({
          name: of,
          start: iso(start),
          end: iso(end),
        })),
        unplaced,
      })
    },
  }),
]
