/** Tokens that a service account is given by the API itself. Source: the API reference, authentication.k8s.io/v1 TokenRequest. */
import { accountSubject } from '~/core/fleet'
import { isRecord, record } from '~/core/objects'
import { invalid, type Json, valueOf } from './body'
import type { WriteRequest } from './request'
import type { Signing } from './signing'
import { notFound } from './status'

const usualSeconds = 3600
const leastSeconds = 600
const mostSeconds = 86_400

/** The answer to a request for a token: the request, with the token and when it ends on the wall. */
export async function tokenRequested(
  signing: Pick<Signing, 'sign'>,
  request: Pick<WriteRequest, 'target' | 'body' | 'contentType'>,
): Promise<Json> {
  const { target } = request
  const given = request.body.length === 0 ? {} : valueOf(request)
  const spec = record(isRecord(given) ? given['spec'] : undefined)
  const asked = spec['expirationSeconds'] ?? usualSeconds
  const object = { metadata: { name: target.name } }
  if (typeof asked !== 'number' || !Number.isInteger(asked) || asked < leastSeconds)
    throw invalid(target, object, [
      {
        reason: 'FieldValueInvalid',
        message: `Invalid value: ${JSON.stringify(asked).slice(0, 40)}: may not specify a duration less than 10 minutes`,
        field: 'spec.expirationSeconds',
      },
    ])
  const seconds = Math.min(asked, mostSeconds)
  const account = accountSubject(target.namespace ?? '', target.name ?? '')
  const token = await signing.sign({ subject: account.name, groups: [] }, seconds)
  if (token === null) throw notFound(target.served.resource, target.name ?? '')
  return {
    kind: 'TokenRequest',
    apiVersion: 'authentication.k8s.io/v1',
    metadata: { name: target.name, namespace: target.namespace, creationTimestamp: null },
    spec: { ...spec, expirationSeconds: seconds },
    status: {
      token,
      expirationTimestamp: new Date(Date.now() + seconds * 1000)
        .toISOString()
        .replace(/\.\d+Z$/, 'Z'),
    },
  }
}
