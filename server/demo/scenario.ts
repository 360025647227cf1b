/** The demo scenario, read from `demo/`. */
import { parse as parseYaml } from 'yaml'
import { z } from 'zod'
import { windowIntent } from '~/core/windows'
import clusters from '~/demo/clusters.yaml?raw'
import releases from '~/demo/releases.yaml?raw'
import partner from '~/demo/partner.yaml?raw'
import sites from '~/demo/sites.yaml?raw'
import templates from '~/demo/templates.yaml?raw'
import layers from '~/demo/layers.yaml?raw'
import objects from '~/demo/objects.yaml?raw'
import wire from '~/demo/wire.yaml?raw'
import workloads from '~/demo/workloads.yaml?raw'

/** What stands in a file, read once; whoever asks gets a copy of its own. */
const documents = new Map<string, unknown>()
export function parse(text: string): unknown {
  const document: unknown = documents.get(text) ?? parseYaml(text)
  documents.set(text, document)
  return structuredClone(document)
}

const date = z.string().regex(/^\d{4}-\d{2}-\d{2}$/)

export const catalogueSchema = z.object({
  image: z.object({ name: z.string(), minimumRootDiskGb: z.number() }),
  releases: z.array(
    z.object({
      version: z.string(),
      released: date,
      endOfSupport: date,
      architectures: z.array(z.string()),
      withdrawn: z.string().nullable().default(null),
    }),
  ),
})

export const recordsSchema = z.object({
  ledger: z.array(z.object({ domain: z.string(), range: z.string(), name: z.string() })),
  contacts: z.array(z.object({ site: z.string(), address: z.string() })),
  sshKeys: z.array(z.object({ name: z.string(), line: z.string() })),
  credentials: z.array(z.object({ site: z.string(), name: z.string(), until: z.string() })),
  windows: z.array(windowIntent),
})

/** The files as one document; each reader takes what is its own. */
export const demoDocument = (): unknown => ({
  ...(parse(sites) as object),
  ...(parse(clusters) as object),
  ...(parse(workloads) as object),
  ...(parse(objects) as object),
  ...(parse(wire) as object),
})
export const demoCatalogue = () => catalogueSchema.parse(parse(releases))
export const demoRecords = () => recordsSchema.parse(parse(sites))

export const templatesSchema = z.object({
  templates: z.array(
    z.object({
      name: z.string(),
      says: z.string(),
      kind: z.string(),
      open: z.array(z.string()),
      intent: z.record(z.string(), z.unknown()),
    }),
  ),
})
export const demoTemplates = () => templatesSchema.parse(parse(templates)).templates

export const demoLayers: string = layers

/** What a partner has: nothing of it is the fleet’s. Prices and the like are those of the demo. */
export const partnerDocument = (): unknown => ({
  ...(parse(sites) as object),
  ...(parse(partner) as object),
  objects: [],
  copies: { site: 'partner-cloud', cluster: 'thistle', hostsPerZone: 0, counts: {} },
})
