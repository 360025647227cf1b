/** Objects written through an API: where an object of any kind lives there, and the four things that can be done to it. */
import { type Json, record, records, text, texts } from '~/core/objects'
import { type ApiClient, ApiRefusal } from './client'

/** What a command fails with, before it is put into words. */
export class CommandFailed extends Error {
  constructor(
    readonly reason: string,
    readonly about: string,
    says: string,
    readonly isTransient = false,
  ) {
    super(says)
  }
}

interface Place {
  readonly path: string
  readonly isNamespaced: boolean
}

const keptMs = 60_000
const manager = 'fieldManager=gyrarch'

export interface Written {
  readonly apiVersion: string
  readonly kind: string
  readonly metadata: { readonly name: string; readonly namespace?: string | undefined }
}

/** What the API keeps of an object by itself: it is not written back. */
const ownFields = [
  'uid',
  'resourceVersion',
  'creationTimestamp',
  'generation',
  'managedFields',
  'selfLink',
]

const identityOf = ({ kind, metadata }: Written): Omit<Trace, 'version'> => ({
  kind,
  namespace: metadata.namespace ?? '',
  name: metadata.name,
})

const withoutOwn = (object: object): Json => {
  const { status: _status, ...rest } = record(object)
  return {
    ...rest,
    metadata: Object.fromEntries(
      Object.entries(record(rest['metadata'])).filter(([name]) => !ownFields.includes(name)),
    ),
  }
}

/** An object as it was after a write: its version, or null where it went. */
export interface Trace {
  readonly kind: string
  readonly namespace: string
  readonly name: string
  readonly version: string | null
}

export class Writing {
  /** What was written so far, to be seen before anybody is told that it is done. */
  readonly traces: Trace[] = []
  private readonly places = new Map<string, { readonly at: number; readonly place: Place }>()

  constructor(
    private readonly client: ApiClient,
    private readonly cluster: string,
    private readonly signal: AbortSignal,
  ) {}

  refOf({ kind, metadata }: Written): string {
    const namespace = metadata.namespace === undefined ? '' : `${metadata.namespace}/`
    return `${kind.toLowerCase()}/${this.cluster}/${namespace}${metadata.name}`
  }

  /** The object as it is, or null. */
  async read(object: Written): Promise<Json | null> {
    try {
      return await this.client.get(await this.pathOf(object), this.signal)
    } catch (error) {
      if (error instanceof ApiRefusal && error.status === 404) return null
      throw this.failed(error, object)
    }
  }

  /** Applied on the server’s side, as `gyrarch`. */
  async apply(
    object: Written,
    options: { readonly isDry?: boolean; readonly force?: boolean } = {},
  ): Promise<void> {
    const query = [
      manager,
      ...(options.isDry ? ['dryRun=All'] : []),
      ...(options.force ? ['force=true'] : []),
    ]
    try {
      const answer = await this.client.ask(
        'PATCH',
        `${await this.pathOf(object)}?${query.join('&')}`,
        this.signal,
        withoutOwn(object),
        'application/apply-patch+yaml',
      )
      if (options.isDry !== true) this.trace(answer)
    } catch (error) {
      throw this.failed(error, object)
    }
  }

  /** Patched where it is; null where it is not there. */
  async patch(object: Written, patch: Json): Promise<Json | null> {
    try {
      const answer = await this.client.ask(
        'PATCH',
        `${await this.pathOf(object)}?${manager}`,
        this.signal,
        patch,
        'application/strategic-merge-patch+json',
      )
      this.trace(answer)
      return answer
    } catch (error) {
      if (error instanceof ApiRefusal && error.status === 404) return null
      throw this.failed(error, object)
    }
  }

  async remove(object: Written, uid?: string): Promise<void> {
    const body = {
      apiVersion: 'v1',
      kind: 'DeleteOptions',
      propagationPolicy: 'Background',
      ...(uid === undefined ? {} : { preconditions: { uid } }),
    }
    try {
      await this.client.ask('DELETE', await this.pathOf(object), this.signal, body)
      this.traces.push({ ...identityOf(object), version: null })
    } catch (error) {
      // Gone already, or another has taken its place.
      if (error instanceof ApiRefusal && (error.status === 404 || error.status === 409)) return
      throw this.failed(error, object)
    }
  }

  /** Written as it was before, whatever is there now. */
  async putBack(object: Written): Promise<void> {
    const live = await this.read(object)
    const bare = withoutOwn(object)
    try {
      if (live === null) {
        const { path, isNamespaced } = await this.placeOf(object)
        const list = this.listOf(path, isNamespaced, object)
        this.trace(await this.client.ask('POST', `${list}?${manager}`, this.signal, bare))
        return
      }
      const { resourceVersion } = record(live['metadata'])
      this.trace(
        await this.client.ask('PUT', `${await this.pathOf(object)}?${manager}`, this.signal, {
          ...bare,
          metadata: { ...record(bare['metadata']), resourceVersion },
        }),
      )
    } catch (error) {
      throw this.failed(error, object)
    }
  }

  /** Asked to leave its node; 429 where its budget does not let it. */
  async evict(
    namespace: string,
    name: string,
    uid: string,
  ): Promise<'gone' | 'going' | { readonly waits: string }> {
    const path = `/api/v1/namespaces/${encodeURIComponent(namespace)}/pods/${encodeURIComponent(name)}/eviction`
    const body = {
      apiVersion: 'policy/v1',
      kind: 'Eviction',
      metadata: { name, namespace },
      deleteOptions: { preconditions: { uid } },
    }
    try {
      await this.client.ask('POST', path, this.signal, body)
      return 'going'
    } catch (error) {
      if (error instanceof ApiRefusal && (error.status === 404 || error.status === 409))
        return 'gone'
      if (error instanceof ApiRefusal && error.status === 429) return { waits: error.message }
      throw this.failed(error, { apiVersion: 'v1', kind: 'Pod', metadata: { name, namespace } })
    }
  }

  private trace(answer: Json): void {
    const metadata = record(answer['metadata'])
    this.traces.push({
      kind: text(answer['kind']),
      namespace: text(metadata['namespace']),
      name: text(metadata['name']),
      version: text(metadata['resourceVersion']),
    })
  }

  private failed(error: unknown, object: Written): unknown {
    if (!(error instanceof ApiRefusal)) return error
    const about = this.refOf(object)
    const causes = records(error.details['causes'])
    if (error.status === 409 && causes.some(({ reason }) => reason === 'FieldManagerConflict'))
      return new CommandFailed(
        'field-conflict',
        about,
        causes
          .map(({ message, field }) => `${text(message)} (${text(field)})`)
          .join('; ')
          .slice(0, 1000),
      )
    const isTransient = error.status === 429 || error.status >= 500
    return new CommandFailed('api-refuses', about, error.message, isTransient)
  }

  private listOf(path: string, isNamespaced: boolean, { metadata }: Written): string {
    if (!isNamespaced) return path
    const namespace = encodeURIComponent(metadata.namespace ?? 'default')
    const cut = path.lastIndexOf('/')
    return `${path.slice(0, cut)}/namespaces/${namespace}${path.slice(cut)}`
  }

  private async pathOf(object: Written): Promise<string> {
    const { path, isNamespaced } = await this.placeOf(object)
    return `${this.listOf(path, isNamespaced, object)}/${encodeURIComponent(object.metadata.name)}`
  }

  /** Where a kind is listed, by what the API offers. */
  private async placeOf({ apiVersion, kind, metadata }: Written): Promise<Place> {
    const key = `${apiVersion} ${kind}`
    const before = this.places.get(key)
    if (before && Date.now() - before.at < keptMs) return before.place
    const base = apiVersion.includes('/') ? `/apis/${apiVersion}` : `/api/${apiVersion}`
    const offered = await this.client.get(base, this.signal).catch((error: unknown) => {
      if (error instanceof ApiRefusal && error.status === 404) return { resources: [] }
      throw error
    })
    const entry = records(offered['resources']).find(
      (each) =>
        each['kind'] === kind &&
        !text(each['name']).includes('/') &&
        texts(each['verbs']).length > 0,
    )
    if (!entry)
      throw new CommandFailed(
        'api-refuses',
        this.refOf({ apiVersion, kind, metadata }),
        `${this.cluster} does not serve ${kind} of ${apiVersion}.`,
      )
    const place = {
      path: `${base}/${text(entry['name'])}`,
      isNamespaced: entry['namespaced'] === true,
    }
    this.places.set(key, { at: Date.now(), place })
    return place
  }
}
