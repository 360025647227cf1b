/**
 * Access files of the open API (`kind: Config`): which cluster the current context leads to, and as whom. Its secrets are
 * told apart from the rest, so that the rest can be shown and kept. Source: the open API’s client configuration, v1.
 */
import { z } from 'zod'
import { apiDocument, writeYaml } from '../objects'
import { isCertificate, pemBody } from './certificate'

/** Characters, contexts: more is no access file. */
export const mostCharacters = 1024 * 1024
const mostContexts = 500

const text = z.string().max(256 * 1024)
const listOf = <Item extends z.ZodType>(item: Item) =>
  z
    .array(item)
    .nullish()
    .transform((list) => list ?? [])

const clusterPart = z.looseObject({
  server: text.optional(),
  'certificate-authority-data': text.optional(),
  'certificate-authority': text.optional(),
  'insecure-skip-tls-verify': z.boolean().optional(),
  'tls-server-name': text.optional(),
  'proxy-url': text.optional(),
})
const userPart = z.looseObject({
  token: text.optional(),
  tokenFile: text.optional(),
  'client-certificate-data': text.optional(),
  'client-key-data': text.optional(),
  'client-certificate': text.optional(),
  'client-key': text.optional(),
  username: text.optional(),
  password: text.optional(),
  exec: z.unknown().optional(),
  'auth-provider': z.unknown().optional(),
})
const config = z.looseObject({
  apiVersion: z.literal('v1').optional(),
  kind: z.literal('Config'),
  'current-context': text.nullish(),
  clusters: listOf(z.looseObject({ name: text, cluster: clusterPart.nullish() })),
  users: listOf(z.looseObject({ name: text, user: userPart.nullish() })),
  contexts: listOf(
    z.looseObject({
      name: text,
      context: z.looseObject({ cluster: text.optional(), user: text.optional() }).nullish(),
    }),
  ),
})

type ClusterPart = z.infer<typeof clusterPart>
type UserPart = z.infer<typeof userPart>

/** The parts that are secrets, where they stand. */
const secretParts = ['token', 'password', 'client-key-data'] as const

/** How Gyrarch signs in. */
export type SignIn =
  | { readonly kind: 'token'; readonly token: string }
  | { readonly kind: 'certificate'; readonly certificate: string; readonly key: string }
  | { readonly kind: 'password'; readonly username: string; readonly password: string }

/** Where the current context leads. Certificates and keys are PEM. */
export interface AccessWay {
  readonly context: string
  /** The names of the others. */
  readonly others: readonly string[]
  /** `https://host:port`, without a path at its end. */
  readonly server: string
  readonly authority: string | null
  readonly isUnverified: boolean
  readonly serverName: string | null
  readonly hasProxy: boolean
  readonly signIn: SignIn
}

/** What is wrong with an access file; `part` is where in it. */
export interface AccessObjection {
  readonly code:
    | 'missing'
    | 'too-long'
    | 'unreadable'
    | 'other-kind'
    | 'no-context'
    | 'no-cluster'
    | 'no-user'
    | 'program'
    | 'path'
    | 'no-address'
    | 'no-tls'
    | 'no-sign-in'
    | 'no-certificate'
  readonly part: string
}

export type AccessRead =
  | { readonly ok: true; readonly way: AccessWay }
  | { readonly ok: false; readonly objection: AccessObjection }

const refused = (code: AccessObjection['code'], part = ''): AccessRead => ({
  ok: false,
  objection: { code, part },
})

type Config = z.infer<typeof config>

/** The document, or what keeps it from being one. */
function configOf(source: string): Config | AccessObjection['code'] {
  if (source.trim() === '') return 'missing'
  if (source.length > mostCharacters) return 'too-long'
  let value: unknown
  try {
    const document = apiDocument(source)
    if (document.errors.length > 0) return 'unreadable'
    value = document.toJS({ maxAliasCount: 50 })
  } catch {
    // Nested too deep, or aliases of aliases.
    return 'unreadable'
  }
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return 'unreadable'
  if ((value as Record<string, unknown>)['kind'] !== 'Config') return 'other-kind'
  const read = config.safeParse(value)
  return read.success ? read.data : 'unreadable'
}

interface Current {
  readonly context: string
  readonly clusterName: string
  readonly userName: string
  readonly cluster: ClusterPart | undefined
  readonly user: UserPart | undefined
}

function currentOf(given: Config): Current | null {
  const context = given['current-context'] ?? ''
  const chosen = given.contexts.find(({ name }) => name === context)?.context
  if (context === '' || !chosen) return null
  return {
    context,
    clusterName: chosen.cluster ?? '',
    userName: chosen.user ?? '',
    cluster: given.clusters.find(({ name }) => name === chosen.cluster)?.cluster ?? undefined,
    user: given.users.find(({ name }) => name === chosen.user)?.user ?? undefined,
  }
}

/** The address of an API: TLS, and nothing in it but where it is. Null for anything else. */
function addressOf(server: string): URL | null {
  if (!URL.canParse(server)) return null
  const url = new URL(server)
  const isBare = url.username === '' && url.password === '' && url.search === '' && url.hash === ''
  return isBare && (url.protocol === 'https:' || url.protocol === 'http:') && url.hostname !== ''
    ? url
    : null
}

const decoded = (base64: string): string | null => {
  const compact = base64.replace(/\s+/g, '')
  if (!/^[A-Za-z0-9+/]+={0,2}$/.test(compact) || compact.length % 4 !== 0) return null
  return new TextDecoder().decode(Uint8Array.from(atob(compact), (sign) => sign.charCodeAt(0)))
}

/** A file on the machine that wrote it, or a program there, is nothing that Gyrarch has. */
function leansOn(cluster: ClusterPart, user: UserPart): AccessObjection | null {
  for (const part of ['exec', 'auth-provider'] as const)
    if (user[part] !== undefined && user[part] !== null) return { code: 'program', part }
  for (const part of ['tokenFile', 'client-certificate', 'client-key'] as const)
    if ((user[part] ?? '') !== '') return { code: 'path', part }
  if ((cluster['certificate-authority'] ?? '') !== '')
    return { code: 'path', part: 'certificate-authority' }
  return null
}

/** Null where nobody is named. */
function signInOf(user: UserPart): SignIn | null {
  const { token = '', username = '', password = '' } = user
  const { 'client-certificate-data': certificate = '', 'client-key-data': key = '' } = user
  if (token !== '') return { kind: 'token', token }
  if (certificate !== '' && key !== '')
    return { kind: 'certificate', certificate: decoded(certificate) ?? '', key }
  if (username !== '' && password !== '') return { kind: 'password', username, password }
  return null
}

/** Reads an access file, its secrets as they stand in it: `client-key-data` stays encoded. Never throws. */
export function readAccessFile(source: string): AccessRead {
  const given = configOf(source)
  if (typeof given === 'string') return refused(given)
  const current = currentOf(given)
  if (!current) return refused('no-context', given['current-context'] ?? '')
  const { cluster, user } = current
  if (!cluster) return refused('no-cluster', current.clusterName)
  if (!user) return refused('no-user', current.userName)
  const leaning = leansOn(cluster, user)
  if (leaning) return { ok: false, objection: leaning }
  const url = addressOf(cluster.server ?? '')
  if (!url) return refused('no-address')
  if (url.protocol !== 'https:') return refused('no-tls')
  const data = cluster['certificate-authority-data'] ?? ''
  const authority = data === '' ? null : decoded(data)
  if (data !== '' && (authority === null || !pemBody(authority).some(isCertificate)))
    return refused('no-certificate')
  const signIn = signInOf(user)
  if (!signIn) return refused('no-sign-in', current.userName)
  return {
    ok: true,
    way: {
      context: current.context,
      others: contextsIn(given).filter((name) => name !== current.context),
      server: url.href.replace(/\/+$/, ''),
      authority,
      isUnverified: cluster['insecure-skip-tls-verify'] === true,
      serverName: cluster['tls-server-name'] ?? null,
      hasProxy: (cluster['proxy-url'] ?? '') !== '',
      signIn,
    },
  }
}

const contextsIn = (given: Config): readonly string[] =>
  given.contexts.slice(0, mostContexts).map(({ name }) => name)

/** The contexts that an access file offers, and which of them is current. */
export function contextsOf(source: string): {
  readonly names: readonly string[]
  readonly current: string
} {
  const given = configOf(source)
  return typeof given === 'string'
    ? { names: [], current: '' }
    : { names: contextsIn(given), current: given['current-context'] ?? '' }
}

/** The same file with another context current. */
export function withContext(source: string, context: string): string {
  const given = configOf(source)
  return typeof given === 'string' ? source : writeYaml({ ...given, 'current-context': context })
}

/** What stands for a file that could not be read: nothing of it is kept. */
const notKept = (source: string): string =>
  source.trim() === '' ? '' : `# ${source.length} characters that are no access file; not kept`

/**
 * The file as it may be shown and kept: what the current context leads to, the names of the others, each secret sealed
 * for the address that it is sent to. What is sealed already stays as it is; a file that does not read is not kept.
 */
export function sealedAccessFile(
  source: string,
  seal: (secret: string, address: string) => string,
): string {
  const given = configOf(source)
  if (given === 'other-kind') return 'kind: (not Config)\n'
  if (typeof given === 'string') return notKept(source)
  const current = currentOf(given)
  const { server = '', ...cluster } = current?.cluster ?? {}
  const address = addressOf(server)?.href.replace(/\/+$/, '') ?? ''
  const sealedUser = Object.fromEntries(
    Object.entries(current?.user ?? {}).flatMap(([part, value]): [string, unknown][] => {
      if (part === 'exec' || part === 'auth-provider')
        return value === undefined || value === null ? [] : [[part, {}]]
      if (!Object.hasOwn(userPart.shape, part) || typeof value !== 'string') return []
      const isSecret = (secretParts as readonly string[]).includes(part)
      const isKept = !isSecret || value === '' || value.startsWith(sealMark)
      return [[part, isKept ? value : sealMark + seal(value, address)]]
    }),
  )
  const shownParts = Object.entries(cluster).filter(([part]) =>
    Object.hasOwn(clusterPart.shape, part),
  )
  return writeYaml({
    apiVersion: 'v1',
    kind: 'Config',
    'current-context': given['current-context'] ?? '',
    contexts: contextsIn(given).map((name) => ({
      name,
      context:
        name === current?.context ? { cluster: current.clusterName, user: current.userName } : {},
    })),
    clusters: current?.cluster
      ? [
          {
            name: current.clusterName,
            cluster: { server: address, ...Object.fromEntries(shownParts) },
          },
        ]
      : [],
    users: current?.user ? [{ name: current.userName, user: sealedUser }] : [],
  })
}

const sealMark = 'sealed:'

/** The way with its secrets opened; throws what `open` throws where one was sealed for another address or key. */
export function openedWay(
  way: AccessWay,
  open: (sealed: string, address: string) => string,
): AccessWay {
  const plain = (value: string): string =>
    value.startsWith(sealMark) ? open(value.slice(sealMark.length), way.server) : value
  const { signIn } = way
  switch (signIn.kind) {
    case 'token':
      return { ...way, signIn: { ...signIn, token: plain(signIn.token) } }
    case 'password':
      return { ...way, signIn: { ...signIn, password: plain(signIn.password) } }
    case 'certificate':
      return { ...way, signIn: { ...signIn, key: decoded(plain(signIn.key)) ?? '' } }
  }
}
