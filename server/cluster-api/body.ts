/** What is sent to be written: read, put in its place, and held against the schemas of the open API. */
import { invalidities, schemaFaultsOf } from '~/core/manifests'
import { apiDocument, asText, isRecord, record, text } from '~/core/objects'
import { jsonOf } from '../bodies/json'
import type { WriteRequest } from './request'
import { apiVersionOf } from './resources'
import { ApiRefusal, groupOf, qualified, type StatusCause } from './status'
import type { Target } from './target'

export type Json = Readonly<Record<string, unknown>>

const limits = { depth: 100, values: 400_000 }
const yamlTypes = new Set(['application/yaml', 'application/apply-patch+yaml', 'text/yaml'])

/** The value of a body, JSON or YAML by what its sender says it is. */
export function valueOf({
  body,
  contentType,
}: Pick<WriteRequest, 'body' | 'contentType'>): unknown {
  if (body.length === 0) return undefined
  try {
    if (!yamlTypes.has(contentType)) return jsonOf(body, limits)
    const document = apiDocument(body.toString('utf8'))
    const [error] = document.errors
    if (error) throw error
    return document.toJS({ maxAliasCount: 50 }) as unknown
  } catch (error) {
    throw new ApiRefusal(
      400,
      `the object provided is unrecognized: ${error instanceof Error ? error.message.slice(0, 300) : 'it cannot be read'}`,
    )
  }
}

const objectTypes = new Set(['', 'application/json', 'application/yaml', 'text/yaml'])

/** The object of a request, of the kind and in the place that the request is for. */
export function objectOf(request: WriteRequest): Json {
  if (!objectTypes.has(request.contentType))
    throw new ApiRefusal(
      415,
      `the body of the request was in an unknown format - accepted media types include: application/json, application/yaml`,
    )
  const value = valueOf(request)
  if (!isRecord(value)) throw new ApiRefusal(400, 'the body of the request is no object')
  return placed(request.target, value)
}

const withoutHead = ({ apiVersion: _version, kind: _kind, ...more }: Json): Json => more

/** Checks that an object is what its request says, and fills in what the request says for it. */
export function placed(target: Target, value: Json): Json {
  const { resource } = target.served
  const apiVersion = apiVersionOf(target.served)
  const expected = target.subresource?.kind ?? resource.kind
  if (value['kind'] !== undefined && value['kind'] !== expected)
    throw new ApiRefusal(
      400,
      `${asText(value['kind']).slice(0, 80)} in version "${asText(value['apiVersion']).slice(0, 80)}" cannot be handled as a ${expected}`,
    )
  if (
    value['apiVersion'] !== undefined &&
    value['apiVersion'] !== (target.subresource?.apiVersion ?? apiVersion)
  )
    throw new ApiRefusal(
      400,
      `the API version in the data (${asText(value['apiVersion']).slice(0, 80)}) does not match the expected API version (${apiVersion})`,
    )
  const metadata = record(value['metadata'])
  const namespace = text(metadata['namespace'])
  if (
    resource.isNamespaced &&
    target.namespace !== null &&
    namespace !== '' &&
    namespace !== target.namespace
  )
    throw new ApiRefusal(
      400,
      'the namespace of the provided object does not match the namespace sent on the request',
    )
  if (
    target.name !== null &&
    text(metadata['name']) !== '' &&
    text(metadata['name']) !== target.name
  )
    throw new ApiRefusal(400, 'the name of the object does not match the name on the URL')
  const { namespace: _namespace, ...more } = metadata
  return {
    apiVersion,
    kind: expected,
    ...withoutHead(value),
    metadata: {
      ...more,
      ...(target.name === null ? {} : { name: target.name }),
      ...(resource.isNamespaced ? { namespace: target.namespace ?? (namespace || 'default') } : {}),
    },
  }
}

const wrongName = /^[a-z0-9]([-a-z0-9.]*[a-z0-9])?$/
const looseName = /^[^/%]+$/

function nameCauses(target: Target, object: Json): readonly StatusCause[] {
  const name = record(object['metadata'])['name']
  if (typeof name !== 'string' || name === '')
    return [
      {
        reason: 'FieldValueRequired',
        message: 'Required value: name or generateName is required',
        field: 'metadata.name',
      },
    ]
  const form = target.served.resource.apiGroup.startsWith('rbac') ? looseName : wrongName
  return name.length <= 253 && form.test(name)
    ? []
    : [
        {
          reason: 'FieldValueInvalid',
          message: `Invalid value: "${name.slice(0, 80)}": a lowercase RFC 1123 subdomain must consist of lower case alphanumeric characters, '-' or '.', and must start and end with an alphanumeric character`,
          field: 'metadata.name',
        },
      ]
}

const reasonOf = (says: string): string => {
  if (/(missing|needs|is required|has no )/i.test(says)) return 'FieldValueRequired'
  if (/(twice|two .* named|duplicate)/i.test(says)) return 'FieldValueDuplicate'
  return 'FieldValueInvalid'
}

const schemaReasons = {
  required: 'FieldValueRequired',
  choice: 'FieldValueNotSupported',
  type: 'FieldValueInvalid',
} as const

/** Everything that the open API holds against an object, by field; fields that no schema names apart. */
export function objections(
  target: Target,
  object: Json,
): { readonly causes: readonly StatusCause[]; readonly unknown: readonly string[] } {
  const names = nameCauses(target, object)
  const faults = schemaFaultsOf(object)
  const unknown = faults.filter(({ kind }) => kind === 'unknown').map(({ path }) => path)
  const bySchema = faults.flatMap(({ kind, path, says }) =>
    kind === 'unknown' ? [] : [{ reason: schemaReasons[kind], message: says, field: path }],
  )
  const seen = new Set([...bySchema, ...names].map(({ field }) => field))
  const ruled =
    names.length > 0
      ? []
      : invalidities(object as Parameters<typeof invalidities>[0]).flatMap(
          ({ path, says, isCaution }) =>
            isCaution || seen.has(path) || unknown.includes(path)
              ? []
              : [{ reason: reasonOf(says), message: says, field: path }],
        )
  return { causes: [...names, ...bySchema, ...ruled], unknown }
}

/** A refusal for an object that breaks the open API’s rules. */
export function invalid(target: Target, object: Json, causes: readonly StatusCause[]): ApiRefusal {
  const { resource } = target.served
  const name = text(record(object['metadata'])['name'])
  const told = causes.map(({ field = '', message }) => `${field}: ${message}`)
  return new ApiRefusal(
    422,
    `${resource.kind}${resource.apiGroup === '' ? '' : `.${resource.apiGroup}`} "${name}" is invalid: ${told.length > 1 ? `[${told.join(', ')}]` : told.join('')}`,
    { name, ...groupOf(resource), kind: resource.kind, causes },
  )
}

/** Refuses what may not be written; what is given back are warnings. */
export function checked(target: Target, object: Json, query: URLSearchParams): readonly string[] {
  const { causes, unknown } = objections(target, object)
  const mode = query.get('fieldValidation') ?? 'Warn'
  if (!['Strict', 'Warn', 'Ignore'].includes(mode))
    throw new ApiRefusal(
      422,
      `fieldValidation: Unsupported value: "${mode.slice(0, 60)}": supported values: "Ignore", "Strict", "Warn"`,
    )
  const strict = unknown.map((path) => `unknown field "${path}"`)
  if (mode === 'Strict' && strict.length > 0)
    throw new ApiRefusal(
      400,
      `${target.served.resource.kind} in version "${apiVersionOf(target.served)}" cannot be handled as a ${target.served.resource.kind}: strict decoding error: ${strict.join(', ')}`,
    )
  if (causes.length > 0) throw invalid(target, object, causes)
  return mode === 'Warn' ? strict : []
}

export const alreadyExists = (target: Target, name: string): ApiRefusal =>
  new ApiRefusal(
    409,
    `${qualified(target.served.resource)} "${name}" already exists`,
    { name, ...groupOf(target.served.resource), kind: target.served.resource.plural },
    'AlreadyExists',
  )
