/**
 * Writes core/manifests/open-api-types.json: the fields of every kind of the open API that Gyrarch judges, with their
 * types and which of them are required, out of the published schemas as `kubernetes-models` ships them. Run after that
 * package is renewed: node scripts/open-api-types.mjs
 */
import { existsSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { dirname, join, relative, resolve } from 'node:path'
import ts from 'typescript'
import { root } from './ready.mjs'

const modules = join(root, 'node_modules')
const models = join(modules, 'kubernetes-models')
const groups = [
  'v1',
  'apps/v1',
  'batch/v1',
  'autoscaling/v1',
  'autoscaling/v2',
  'policy/v1',
  'networking.k8s.io/v1',
  'rbac.authorization.k8s.io/v1',
  'scheduling.k8s.io/v1',
  'storage.k8s.io/v1',
  'discovery.k8s.io/v1',
  'coordination.k8s.io/v1',
  'node.k8s.io/v1',
  'admissionregistration.k8s.io/v1',
  'apiextensions.k8s.io/v1',
  'apiregistration.k8s.io/v1',
  'certificates.k8s.io/v1',
  'events.k8s.io/v1',
]

/** A type’s name: where its file stands, without the folders that say nothing. */
const nameOf = (file) =>
  relative(modules, file)
    .replace(/\.d\.ts$/, '')
    .replace(/^kubernetes-models\//, '')
    .replace(/^@kubernetes-models\/apimachinery\//, 'meta/')

const words = (text) => new Set(text.split(' '))

/** Sources of volumes that are everybody’s; those of single vendors are left out. */
const open =
  'configMap secret emptyDir hostPath projected downwardAPI ephemeral csi nfs iscsi fc local image'
const kept = {
  'v1/Volume': words(`name persistentVolumeClaim ${open}`),
  'v1/PersistentVolumeSpec': words(
    `accessModes capacity claimRef mountOptions nodeAffinity persistentVolumeReclaimPolicy storageClassName volumeAttributesClassName volumeMode ${open}`,
  ),
}

const load = createRequire(import.meta.url)
const types = {}
/** The words that a field takes, where it takes only some. */
const choices = {}
/** The published name of each type’s schema. */
const schemas = new Map()
const reading = new Map()

/**
 * What a type takes: `s` text, `t` a time, `6` base 64, `i` a whole number, `w` one of 32 bits, `n` a number, `b` a truth, `q` text or a number, `k` a quantity, `*` anything; a list
 * is `[` and its items, a map is `{` and its values, all else the name of a type.
 */
function shape(node, imports, file) {
  if (ts.isParenthesizedTypeNode(node)) return shape(node.type, imports, file)
  switch (node.kind) {
    case ts.SyntaxKind.StringKeyword:
      return 's'
    case ts.SyntaxKind.NumberKeyword:
      return /JSONSchemaProps/.test(file) ? 'n' : 'i'
    case ts.SyntaxKind.BooleanKeyword:
      return 'b'
    case ts.SyntaxKind.UnknownKeyword:
    case ts.SyntaxKind.AnyKeyword:
    case ts.SyntaxKind.ObjectKeyword:
      return '*'
  }
  if (ts.isLiteralTypeNode(node)) return 's'
  if (ts.isUnionTypeNode(node)) {
    const parts = new Set(node.types.map((type) => shape(type, imports, file)))
    parts.delete('null')
    if (parts.size === 1) return [...parts][0]
    return [...parts].every((part) => 'sinq'.includes(part)) ? 'q' : '*'
  }
  if (ts.isArrayTypeNode(node)) return `[${shape(node.elementType, imports, file)}`
  if (ts.isTypeLiteralNode(node)) {
    const index = node.members.find(ts.isIndexSignatureDeclaration)
    return index ? `{${shape(index.type, imports, file)}` : '*'
  }
  if (ts.isTypeReferenceNode(node)) {
    const name = node.typeName.getText()
    if (name === 'Array') return `[${shape(node.typeArguments[0], imports, file)}`
    const from = imports.get(name)
    if (!from) return '*'
    return read(from)
  }
  return '*'
}

function locate(file, specifier) {
  const base = specifier.startsWith('.')
    ? resolve(dirname(file), specifier)
    : join(modules, specifier)
  return [`${base}.d.ts`, join(base, 'index.d.ts')].find(existsSync)
}

/** Reads a type’s file once; gives the name of a type with fields, or the shape of what only stands for another. */
function read(file) {
  const name = nameOf(file)
  if (reading.has(file)) return reading.get(file)
  reading.set(file, name)
  const source = ts.createSourceFile(file, readFileSync(file, 'utf8'), ts.ScriptTarget.Latest, true)
  const imports = new Map()
  let fields = null
  for (const statement of source.statements) {
    if (ts.isImportDeclaration(statement)) {
      const from = locate(file, statement.moduleSpecifier.text)
      for (const element of statement.importClause?.namedBindings?.elements ?? [])
        if (from) {
          imports.set(element.name.text, from)
          schemas.set(nameOf(from), element.name.text.slice(1))
        }
    }
    if (ts.isTypeAliasDeclaration(statement)) {
      const alias = /resource\/Quantity\.d\.ts$/.test(file)
        ? 'k'
        : shape(statement.type, imports, file)
      reading.set(file, alias)
      return alias
    }
    if (ts.isInterfaceDeclaration(statement) && fields === null) fields = statement
  }
  if (fields === null) {
    reading.set(file, '*')
    return '*'
  }
  const type = {}
  types[name] = type
  for (const member of fields.members) {
    if (!ts.isPropertySignature(member) || !member.type) continue
    const field = member.name.text
    if (kept[name] && !kept[name].has(field)) continue
    // What every object has is said of the object, not of its type.
    if (field === 'apiVersion' || field === 'kind') {
      if (ts.isLiteralTypeNode(member.type)) continue
    }
    type[`${field}${member.questionToken ? '' : '!'}`] = shape(member.type, imports, file)
  }
  return name
}

const kinds = {}
for (const group of groups) {
  const folder = join(models, group)
  for (const file of readdirSync(folder)) {
    if (!file.endsWith('.d.ts') || file === 'index.d.ts' || file.endsWith('List.d.ts')) continue
    const text = readFileSync(join(folder, file), 'utf8')
    const kind = file.replace(/\.d\.ts$/, '')
    if (!new RegExp(`"?kind"?: "${kind}"`).test(text)) continue
    kinds[`${group}/${kind}`] = read(join(folder, file))
    schemas.set(
      `${group}/${kind}`,
      /_schemas\/(\w+)/.exec(readFileSync(join(folder, `${kind}.js`), 'utf8'))?.[1],
    )
  }
}

/**
 * What the published validators say of values that a type alone lets pass: which whole numbers have 32 bits, which
 * numbers need not be whole, which text is a time or base 64.
 */
function probe(name, type) {
  const file = [join(models, '_schemas'), join(modules, '@kubernetes-models/apimachinery/_schemas')]
    .map((folder) => join(folder, `${schemas.get(name)}.js`))
    .find(existsSync)
  if (!file) return
  const { validate } = load(file)
  const complaint = (field, value, keyword) => {
    validate({ [field]: value })
    return (validate.errors ?? []).find(
      (error) =>
        error.instancePath.split('/')[1] === field.replaceAll('~', '~0').replaceAll('/', '~1') &&
        error.keyword === keyword,
    )
  }
  const refuses = (field, value, keyword) => complaint(field, value, keyword) !== undefined
  for (const [key, shape] of Object.entries(type)) {
    const field = key.replace(/!$/, '')
    const lead = /^[[{]*/.exec(shape)[0]
    const wrap = (value) =>
      [...lead].reverse().reduce((inner, by) => (by === '[' ? [inner] : { a: inner }), value)
    const base = shape.slice(lead.length)
    if (base === 'i') {
      if (!refuses(field, wrap(1.5), 'type')) type[key] = `${lead}n`
      else if (refuses(field, wrap(2 ** 40), 'format')) type[key] = `${lead}w`
    }
    if (base === 's') {
      const allowed = complaint(field, wrap('~'), 'enum')?.params.allowedValues
      if (allowed && field !== 'usages') choices[`${name}.${field}`] = allowed
      if (!refuses(field, wrap('~'), 'format')) continue
      type[key] = `${lead}${refuses(field, wrap('aGVsbG8='), 'format') ? 't' : '6'}`
    }
  }
}

for (const [name, type] of Object.entries(types)) probe(name, type)

const release = load(join(models, 'package.json')).version
const out = join(root, 'core/manifests/open-api-types.json')
writeFileSync(
  out,
  `${JSON.stringify({ from: `kubernetes-models ${release}`, kinds, types, choices })}\n`,
)
console.log(`${Object.keys(kinds).length} kinds, ${Object.keys(types).length} types`)
