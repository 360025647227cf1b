/** The registries there are: one for the joined sites, one inside the site that nothing is joined to; each on a loopback port. */
import { createServer, type Server } from 'node:http'
import { mkdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { isDeepStrictEqual } from 'node:util'
import { z } from 'zod'
import type { FleetView } from '~/core/fleet'
import { type JudgedImage, registryAccess, type RegistryAccess } from '~/core/contract'
import { parseReference } from '~/core/registry'
import { judgedImage } from '~/core/registry/changes'
import type { CarriedCatalogue, Published } from '~/core/releases'
import { imagesRun } from '~/core/shipment'
import { listenOn } from '../listen-on'
import type { Catalogue } from '../releases/catalogue'
import { Accounts } from './accounts'
import { withImagesOf } from './beyond'
import { readCatalogue } from './catalogue-artifact'
import { nextPush, pushDue } from './pushes'
import { nextFindings } from './scanner'
import { firstBlob, firstImages, type OwnImage } from './first'
import { serveRegistry } from './http'
import { Registry } from './registry'
import { writeWhole } from './whole-file'

export interface RegistryAt {
  readonly name: string
  readonly site: string
  /** `127.0.0.1:port` once it listens, else null. */
  readonly address: string | null
}

interface Kept {
  readonly site: string
  readonly isWhole: boolean
  readonly registry: Registry
  readonly accounts: Accounts
  server: Server | null
  port: number | null
}

export interface RegistryParts {
  readonly dir: string
  readonly catalogue: Catalogue
  readonly view: () => Promise<FleetView>
  /** Milliseconds on the clock. */
  readonly now: () => number
  /** A token that only this server can make, the same for the same purpose. */
  readonly token: (purpose: string) => string
  readonly onError: (error: unknown) => void
  /** Tells nodes what a registry holds from now on, by repository the digests of its tags; none is a repository that is gone. */
  readonly tell: (told: {
    readonly host: string
    readonly repositories: Readonly<Record<string, Readonly<Record<string, string>>>>
    readonly judged: Readonly<Record<string, JudgedImage>>
    readonly access: RegistryAccess
  }) => Promise<void>
}

const toldBefore = z.object({
  tags: z.record(z.string(), z.record(z.string(), z.string())).default({}),
  judged: z.record(z.string(), z.unknown()).default({}),
  access: registryAccess.default({ closed: [], accounts: [] }),
})

const carried = z.object({
  digests: z.array(z.string()),
  own: z.array(z.object({ repository: z.string(), tag: z.string() })),
})

/** Images that a rule may hold back: not signed, or with findings. */
function judgedImages(published: Published): Record<string, JudgedImage> {
  return Object.fromEntries(
    published.images.flatMap((image) => {
      const judged = judgedImage(image)
      return judged.signed && judged.worst === null ? [] : [[image.digest, judged]]
    }),
  )
}

/** A registry stands at every site whose clusters pull from one of their own. */
const places = [
  { name: 'registry.fernhollow.example', site: 'mossgate', isWhole: true },
  { name: 'registry.kilnlane.example', site: 'kilnlane', isWhole: false },
] as const

export class Registries {
  private readonly kept: readonly Kept[]
  private isListening = false
  private all: Promise<Published> | null = null
  /** When what is found in images is another (ms), for those who ask and for nodes. */
  private allUntil = 0
  private toldUntil = 0
  private telling: Promise<unknown> = Promise.resolve()

  constructor(private readonly parts: RegistryParts) {
    this.kept = places.map(({ name, site, isWhole }) => ({
      site,
      isWhole,
      registry: new Registry(name, join(parts.dir, name), {
        images: () => this.firstAt(site, isWhole),
        blob: (digest) => firstBlob(parts.catalogue, digest),
      }),
      accounts: new Accounts({ ...parts, registry: name }),
      server: null,
      port: null,
    }))
    for (const { registry } of this.kept) registry.retagged = () => this.retagged(registry)
  }

  /** Tells what a registry holds where that is another than was told last; what a stop kept from being written is told again. */
  tell(registry: Registry): Promise<void> {
    const turn = this.telling.then(() => this.tellNow(registry))
    this.telling = turn.catch(() => undefined)
    return turn
  }

  private async tellNow(registry: Registry): Promise<void> {
    const file = join(this.parts.dir, `${registry.name}.told.json`)
    const before = toldBefore.parse(
      JSON.parse(await readFile(file, 'utf8').catch(() => '{}')) as unknown,
    )
    const now: Record<string, Record<string, string>> = {}
    for (const [name, { tags }] of await registry.contents())
      if (tags.size > 0) now[name] = Object.fromEntries(tags)
    const judged = judgedImages(await this.published())
    const changed = Object.fromEntries(
      [...new Set([...Object.keys(before.tags), ...Object.keys(now)])]
        .filter((name) => !isDeepStrictEqual(before.tags[name] ?? {}, now[name] ?? {}))
        .map((name) => [name, now[name] ?? {}]),
    )
    const access = await this.accountsOf(registry).current()
    if (
      Object.keys(changed).length === 0 &&
      isDeepStrictEqual(before.judged, judged) &&
      isDeepStrictEqual(before.access, access)
    )
      return
    await this.parts.tell({ host: registry.name, repositories: changed, judged, access })
    await writeWhole(file, JSON.stringify({ tags: now, judged, access }))
  }

  /** What was pushed or deleted is another from now on, and is told to whoever pulls. */
  private retagged(registry: Registry): void {
    this.all = null
    if (this.isListening) void this.tell(registry).catch(this.parts.onError)
  }

  /** Time has passed: where somebody has pushed by now, or more is found in images, nodes are told. */
  async passed(now: number): Promise<void> {
    if (!this.isListening || now < this.toldUntil) return
    this.toldUntil = Math.min(nextFindings(now), nextPush(now))
    await pushDue(this.whole(), now)
    for (const { registry } of this.kept) await this.tell(registry)
  }

  list(): readonly RegistryAt[] {
    return this.kept.map(({ registry, site, port }) => ({
      name: registry.name,
      site,
      address: port === null ? null : `127.0.0.1:${port}`,
    }))
  }

  named(name: string): Registry | undefined {
    return this.kept.find(({ registry }) => registry.name === name)?.registry
  }

  /** Who may pull from a registry and push to it. */
  accountsOf(registry: Registry): Accounts {
    const kept = this.kept.find((candidate) => candidate.registry === registry)
    if (!kept) throw new Error(`${registry.name} is not kept here`)
    return kept.accounts
  }

  /** All that is published: the catalogue, and what the registry of the joined sites holds besides. Read again once that has changed. */
  published(): Promise<Published> {
    // Findings are published, and judged anew, in the course of time.
    if (this.parts.now() >= this.allUntil) this.all = null
    this.allUntil = nextFindings(this.parts.now())
    this.all ??= this.allPublished().catch((error: unknown) => {
      this.all = null
      throw error
    })
    return this.all
  }

  private async allPublished(): Promise<Published> {
    const catalogue = await this.parts.catalogue.contents()
    const carried: Record<string, CarriedCatalogue> = {}
    for (const { site, isWhole, registry } of this.kept) {
      const came = isWhole ? null : await readCatalogue(registry)
      if (came) carried[site] = came
    }
    return { ...(await withImagesOf(this.whole(), catalogue, this.parts.now())), carried }
  }

  /** The registry of the joined sites, which holds everything that is published. */
  whole(): Registry {
    const whole = this.kept.find((kept) => kept.isWhole)
    if (!whole) throw new Error('no registry holds what is published')
    return whole.registry
  }

  /** The registry that stands at a site. */
  at(site: string): Registry | undefined {
    return this.kept.find((kept) => kept.site === site)?.registry
  }

  private async firstAt(site: string, isWhole: boolean) {
    const contents = await this.parts.catalogue.contents()
    if (isWhole) return firstImages(contents.images, ownImages(await this.parts.view(), site))
    const { digests, own } = await this.carriedFirst(site)
    const stock = new Set(digests)
    return firstImages(
      contents.images.filter((image) => stock.has(image.digest)),
      own,
    )
  }

  /** What a site without a link had when its registry was first looked into: what its clusters ran then. It is written down, since nothing is carried in by what runs later. */
  private async carriedFirst(site: string): Promise<z.infer<typeof carried>> {
    const file = join(this.parts.dir, `${site}.first.json`)
    const before = await readFile(file, 'utf8').catch(() => null)
    if (before !== null) return carried.parse(JSON.parse(before))
    const view = await this.parts.view()
    const digests = imagesRun(view, await this.parts.catalogue.contents(), site)
    const first = { digests: [...digests], own: [...ownImages(view, site)] }
    await writeWhole(file, JSON.stringify(first))
    return first
  }

  /** Opens every port: the one it had before where that is free. */
  async listen(): Promise<void> {
    await mkdir(this.parts.dir, { recursive: true })
    for (const kept of this.kept) {
      const remembered = join(this.parts.dir, `${kept.registry.name}.port`)
      const before = Number(await readFile(remembered, 'utf8').catch(() => '0'))
      kept.server = createServer(
        (request, response) =>
          void serveRegistry(
            kept.registry,
            request,
            response,
            this.parts.onError,
            (repository, purpose, authorization) =>
              repository === null
                ? kept.accounts.greet(authorization)
                : kept.accounts.admit(repository, purpose, authorization),
          ),
      )
      kept.port = await listenOn(kept.server, Number.isInteger(before) ? before : 0)
      await writeFile(remembered, String(kept.port))
      await this.tell(kept.registry)
    }
    this.isListening = true
  }

  async close(): Promise<void> {
    await Promise.all(
      this.kept.map(async (kept) => {
        kept.server?.closeAllConnections()
        await new Promise((done) => (kept.server ? kept.server.close(done) : done(undefined)))
        kept.server = null
        kept.port = null
      }),
    )
    // What was pushed last is still told to whoever pulls.
    this.isListening = false
    await this.telling
  }
}

/** What the clusters of a site run that is no part of a release: the co-operative’s own images. */
function ownImages(view: FleetView, site: string): readonly OwnImage[] {
  const at = view.sites.find((candidate) => candidate.name === site)
  return Object.entries(at?.registry?.images ?? {}).flatMap(([image, tags]) => {
    const repository = parseReference(image)?.repository
    return repository === undefined ? [] : tags.map((tag) => ({ repository, tag }))
  })
}
