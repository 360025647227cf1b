/** What the partner does with a manifest: applies it in its cluster, and signs the agent in as the account that it makes. */
import { apiDocuments, record, resourcesOf, text } from '~/core/objects'
import { agentAccount } from '~/core/reach'
import type { ApiClient } from '../connectors/open-api/client'

const manager = 'fieldManager=partner&force=true'
/** As long as the API gives one out for; a new one is asked for long before. */
const tokenSeconds = 86_400

/** Where an object is served. */
function pathOf(object: Readonly<Record<string, unknown>>): string {
  const { name, namespace } = record(object['metadata'])
  const apiVersion = text(object['apiVersion'])
  const root = apiVersion.includes('/') ? `/apis/${apiVersion}` : `/api/${apiVersion}`
  const place = namespace === undefined ? '' : `/namespaces/${text(namespace)}`
  return `${root}${place}/${resourcesOf(text(object['kind']))}/${encodeURIComponent(text(name))}`
}

/** Applies every document of a manifest, in its order. Rejects with what the API refuses. */
export async function applied(client: ApiClient, manifest: string): Promise<void> {
  for (const document of apiDocuments(manifest)) {
    const object = record(document.toJS())
    await client.ask(
      'PATCH',
      `${pathOf(object)}?${manager}`,
      new AbortController().signal,
      object,
      'application/apply-patch+yaml',
    )
  }
}

/** A token of the account that the agent runs under. */
export async function agentToken(client: ApiClient): Promise<string> {
  const { namespace, name } = agentAccount
  const answer = await client.ask(
    'POST',
    `/api/v1/namespaces/${namespace}/serviceaccounts/${name}/token`,
    new AbortController().signal,
    { spec: { expirationSeconds: tokenSeconds } },
  )
  return text(record(answer['status'])['token'])
}
