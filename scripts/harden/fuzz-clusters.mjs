/** Requests to the API of a cluster itself: its own objects and every kind it serves, most of them a little or very wrong. */
import { Agent, request } from 'node:https'
import { parse } from 'yaml'
import { hostile, word } from './fuzz.mjs'
import { ask } from './served.mjs'

const types = [
  'application/json',
  'application/yaml',
  'application/json-patch+json',
  'application/merge-patch+json',
  'application/strategic-merge-patch+json',
  'application/apply-patch+yaml',
  'text/plain',
]
const queries = {
  limit: ['0', '1', '3', '-1', '1e9', 'x'],
  continue: ['', 'x', 'eyJhIjoxfQ', '../'],
  resourceVersion: ['0', '1', '99999999999', '-1', 'x', ''],
  resourceVersionMatch: ['Exact', 'NotOlderThan', 'Some'],
  labelSelector: ['app=desk', 'app in (a,b)', '!x', 'a==', '((', 'x notin', '='.repeat(3000)],
  fieldSelector: ['metadata.name=desk', 'status.phase=Running', 'spec.x=1', '=', ',,,'],
  fieldManager: ['team', '', 'x'.repeat(500), 'a\nb'],
  fieldValidation: ['Strict', 'Ignore', 'Loose'],
  force: ['true', 'false', '2'],
  dryRun: ['All', 'Some', ''],
  watch: ['true', 'True', '1', 'x'],
  timeoutSeconds: ['1', '0', '-1', 'x'],
  allowWatchBookmarks: ['true', 'x'],
  propagationPolicy: ['Orphan', 'Foreground', 'Background', 'Melt'],
  gracePeriodSeconds: ['0', '-1', 'x'],
  tailLines: ['0', '5', '-1', 'x'],
  follow: ['false', 'x'],
  container: ['main', 'x', ''],
}

/** A client of one cluster: its address, its authority, and who it is. `renew` asks for another token. */
export async function clusterClient(served, name) {
  const client = await signedIn(served, name)
  client.renew = async () => {
    const { token } = await signedIn(served, name)
    client.token = token
  }
  return client
}

async function signedIn(served, name) {
  const { json, text } = await ask(served, 'GET', `/clusters/${name}/access`)
  const file = parse(typeof json?.yaml === 'string' ? json.yaml : text)
  const { cluster } = file.clusters[0]
  const ca = Buffer.from(cluster['certificate-authority-data'], 'base64').toString()
  const agent = new Agent({ ca, keepAlive: true, maxSockets: 16 })
  return { server: cluster.server, token: file.users[0].user.token, agent }
}

/** One request: its status and its text; 0 where there is no answer. One that met an idle connection just as it was closed is sent again. */
const send = (client, { method, path, body, type, accept }, isAgain = false) =>
  new Promise((done) => {
    const { server, token, agent } = client
    const headers = {
      authorization: `Bearer ${token}`,
      ...(accept ? { accept } : {}),
      ...(body === undefined
        ? {}
        : { 'content-type': type, 'content-length': Buffer.byteLength(body) }),
    }
    const asked = request(server + path, { method, agent, headers, timeout: 20_000 }, (answer) => {
      let text = ''
      answer.setEncoding('utf8')
      answer.on('data', (part) => (text += part))
      answer.on('end', () => done({ status: answer.statusCode, text }))
      answer.on('error', (error) => done({ status: 0, text: String(error) }))
    })
    asked.on('timeout', () => asked.destroy(new Error('no answer in 20 s')))
    asked.on('error', (error) => {
      const wasClosed = asked.reusedSocket && error.code === 'ECONNRESET' && !isAgain
      done(
        wasClosed
          ? send(client, { method, path, body, type, accept }, true)
          : { status: 0, text: String(error) },
      )
    })
    asked.end(body)
  })

const json = async (client, path) => JSON.parse((await send(client, { method: 'GET', path })).text)

/** What the cluster serves, with a few of its own objects of each kind. */
export async function servedBy(client) {
  const groups = (await json(client, '/apis')).groups.flatMap(({ versions }) =>
    versions.map(({ groupVersion }) => `/apis/${groupVersion}`),
  )
  const found = []
  for (const base of ['/api/v1', ...groups])
    for (const resource of (await json(client, base)).resources) {
      const [name, part = ''] = resource.name.split('/')
      const isListed = part === '' && resource.verbs.includes('list')
      const objects = isListed ? (await json(client, `${base}/${name}?limit=3`)).items : []
      found.push({
        base,
        name,
        part,
        namespaced: resource.namespaced,
        kind: resource.kind,
        objects,
      })
    }
  return found
}

/** A copy of an object with hostile values in a few places. */
function bent(object, chance) {
  const copy = structuredClone(object)
  for (let nth = chance.below(4); nth >= 0; nth--) {
    let at = copy
    for (let depth = 0; depth < 8; depth++) {
      const fields = Object.keys(at)
      if (fields.length === 0) break
      const field = chance.pick(fields)
      const inner = at[field]
      if (inner === null || typeof inner !== 'object' || chance.is(0.25)) {
        at[field] = structuredClone(chance.pick(hostile))
        break
      }
      at = inner
    }
  }
  return copy
}

const operations = (chance) =>
  Array.from({ length: chance.below(4) }, () => ({
    op: chance.pick(['add', 'remove', 'replace', 'test', 'move', 'copy', 'melt']),
    path: chance.pick(['', '/', '/spec', '/metadata/labels/a', '/spec/x/-', '/__proto__/a', '~2']),
    from: chance.pick(['', '/spec', '/metadata', '/x']),
    value: chance.pick(hostile),
  }))

function bodyOf(method, type, object, chance) {
  if (method === 'GET' || chance.is(0.05)) return undefined
  if (chance.is(0.05)) return chance.pick(['{', '[]', 'null', 'a: &a [*a]', '\u0000', '7'])
  const told = type === 'application/json-patch+json' ? operations(chance) : bent(object, chance)
  return JSON.stringify(told) ?? ''
}

/** One request of a cluster’s API. Its answer is a Status wherever it refuses. */
export async function fuzzCluster(client, resources, chance) {
  const { base, name, part, namespaced, kind, objects } = chance.pick(resources)
  const object =
    objects.length > 0 && chance.is(0.9)
      ? chance.pick(objects)
      : { apiVersion: base.replace(/^\/apis?\//, ''), kind, metadata: { name: 'made' }, spec: {} }
  const metadata = object.metadata ?? {}
  const within = namespaced
    ? `/namespaces/${chance.is(0.8) ? (metadata.namespace ?? 'default') : word(chance)}`
    : ''
  const isOne = part !== '' || chance.is(0.6)
  const one = isOne ? `/${chance.is(0.7) ? metadata.name : word(chance)}` : ''
  const asked = Object.entries(queries)
    .filter(() => chance.is(0.12))
    .map(([field, values]) => [field, chance.pick(values)])
  // What is watched ends by itself.
  const isWatched = asked.some(([field]) => field === 'watch')
  const query = (isWatched ? [['timeoutSeconds', '1'], ...asked] : asked).map(
    ([field, value]) => `${field}=${encodeURIComponent(value)}`,
  )
  const method = chance.pick(['GET', 'GET', 'POST', 'PUT', 'PATCH', 'PATCH', 'DELETE'])
  const path = `${base}${within}/${name}${one}${part === '' ? '' : `/${part}`}?${query.join('&')}`
  const type = chance.pick(types)
  const body = bodyOf(method, type, object, chance)
  const accept = chance.is(0.1)
    ? chance.pick(['application/json;as=Table;v=v1;g=meta.k8s.io,application/json', 'image/png'])
    : undefined
  const { status, text } = await send(client, { method, path, body, type, accept })
  // Another request of the same seed may have called back every token.
  if (status === 401) await client.renew()
  const refuses = status >= 400 && method !== 'HEAD'
  const isTold = !refuses || /"kind":"Status"/.test(text)
  return {
    // A refusal without a Status is as bad as an error.
    status: isTold ? status : 500,
    says: `${method} ${path} as ${type} ${(body ?? '').slice(0, 300)}: ${text.slice(0, 200)}`,
  }
}
