/**
 * Writes core/objects/list-keys.json: by what the items of the open API's lists are told apart, for merging and for
 * applying, out of the API's own published schema: node scripts/list-keys.mjs swagger.json
 *
 * The newest schema that a package ships is that of Debian's golang-k8s-kube-openapi-dev
 * (/usr/share/gocode/src/k8s.io/kube-openapi/pkg/schemaconv/testdata/swagger.json). What the API has gained since stands
 * in `since`, from the API reference. A list is named by the field (or kind) that holds it and its own field; the script
 * ends with 1 where that would name two lists that differ.
 */
import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { root } from './ready.mjs'

const file = process.argv[2]
if (file === undefined) {
  process.stderr.write('Say which schema: node scripts/list-keys.mjs swagger.json\n')
  process.exit(1)
}
const { info, definitions } = JSON.parse(readFileSync(file, 'utf8'))

/** Kinds and fields that the releases Gyrarch knows have no more. */
const gone = /PodSecurityPolicy|PodPreset|Initializer|ComponentStatus/

/** What the reference of later releases says: keys of its own for applying, and fields that came since. */
const since = {
  'MutatingWebhookConfiguration.webhooks': { merge: 'name', apply: ['name'] },
  'ValidatingWebhookConfiguration.webhooks': { merge: 'name', apply: ['name'] },
  'resources.claims': { merge: null, apply: ['name'] },
  'spec.drivers': { merge: 'name', apply: ['name'] },
  'spec.matchConditions': { merge: 'name', apply: ['name'] },
  'spec.ports': { merge: 'port', apply: ['port', 'protocol'] },
  'spec.resourceClaims': { merge: 'name', apply: ['name'] },
  'spec.schedulingGates': { merge: 'name', apply: ['name'] },
  'spec.topologySpreadConstraints': {
    merge: 'topologyKey',
    apply: ['topologyKey', 'whenUnsatisfiable'],
  },
  'spec.variables': { merge: 'name', apply: ['name'] },
  'status.podIPs': { merge: 'ip', apply: ['ip'] },
  'webhooks.matchConditions': { merge: 'name', apply: ['name'] },
}
/** Holders that are containers, besides those of the schema. */
const alike = { containers: ['ephemeralContainers'], spec: { containers: ['ephemeralContainers'] } }

const typeOf = (property) =>
  (property.$ref ?? property.items?.$ref ?? property.additionalProperties?.$ref)?.replace(
    '#/definitions/',
    '',
  )

/** What holds values of each type: the fields, or the kind that it is. */
const holders = new Map()
const heldBy = (type, holder) => holders.set(type, (holders.get(type) ?? new Set()).add(holder))
for (const [type, { properties = {}, ...more }] of Object.entries(definitions)) {
  const kind = more['x-kubernetes-group-version-kind']?.[0]?.kind
  if (kind) heldBy(type, kind)
  for (const [field, property] of Object.entries(properties))
    if (typeOf(property) && !(field === 'items' && kind)) heldBy(typeOf(property), field)
}

const found = new Map()
const refusals = []
for (const [type, { properties = {} }] of Object.entries(definitions)) {
  if (gone.test(type)) continue
  for (const [field, property] of Object.entries(properties)) {
    if (property.type !== 'array') continue
    const isMerged = property['x-kubernetes-patch-strategy']?.split(',').includes('merge') === true
    const merge = property['x-kubernetes-patch-merge-key'] ?? null
    const apply = property['x-kubernetes-list-map-keys'] ?? (merge === null ? [] : [merge])
    for (const holder of holders.get(type) ?? []) {
      const name = `${holder}.${field}`
      const keys = JSON.stringify(isMerged ? { merge, apply } : null)
      // Conditions are told apart by their type wherever they stand, since they all are.
      if (name !== 'status.conditions' && found.has(name) && found.get(name) !== keys)
        refusals.push(`${name} is ${keys} and ${found.get(name)}`)
      if (isMerged || !found.has(name)) found.set(name, keys)
    }
  }
}
if (refusals.length > 0) {
  process.stderr.write(`${refusals.join('\n')}\n`)
  process.exit(1)
}

const keys = {}
for (const [name, json] of found) {
  const read = JSON.parse(json)
  if (!read) continue
  keys[name] = read
  const [holder, field] = name.split('.')
  for (const other of alike[holder] instanceof Array ? alike[holder] : [])
    keys[`${other}.${field}`] = read
  for (const other of alike[holder]?.[field] ?? []) keys[`${holder}.${other}`] = read
}
Object.assign(keys, since)
const sorted = Object.fromEntries(Object.entries(keys).sort(([a], [b]) => (a < b ? -1 : 1)))
writeFileSync(
  join(root, 'core/objects/list-keys.json'),
  `${JSON.stringify({ from: `${info.title} ${info.version}, and the reference of later releases`, keys: sorted }, null, 2)}\n`,
)
process.stdout.write(`${Object.keys(sorted).length} lists\n`)
