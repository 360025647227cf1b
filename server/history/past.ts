/** The fleet as it was at a time: what stood then of each slice, put together as the picture of now is. */
import { z } from 'zod'
import type { ClusterEvent, Slice, UsageReport } from '~/core/contract'
import type { ClusterView, FleetView, SiteView, TrafficView } from '~/core/fleet'
import type { Json } from '~/core/history'
import type { ApiObject } from '~/core/objects'
import type { MeteredThing } from '~/core/spend'
import { isoTime } from '~/core/units'
import { FleetPictures } from '../fleet/pictures'
import type { Version, Versions } from './versions'

/** Parts of the picture that are kept as one slice, `fleet/register`. */
export type Register = Omit<
  FleetView,
  'version' | 'now' | 'sites' | 'clusters' | 'peers' | 'traffic' | 'objects' | 'timings'
> & {
  /** The order in which sites and clusters are listed. */
  readonly order: { readonly sites: readonly string[]; readonly clusters: readonly string[] }
}

const listed = z.array(z.unknown())
/** What this program has recorded itself. */
const recorded = <T>() => z.custom<T>((value) => typeof value === 'object' && value !== null)
const registerShape = recorded<Register>()

export class PastFleet extends FleetPictures {
  private picture: Promise<FleetView> | null = null

  constructor(
    private readonly versions: Versions,
    /** Clock time (ms). */
    readonly at: number,
    private readonly standing: ReadonlyMap<string, Version>,
  ) {
    super()
  }

  view(): Promise<FleetView> {
    this.picture ??= this.compose()
    return this.picture
  }

  async objectsOf(cluster: string): Promise<readonly ApiObject[] | null> {
    return (await this.listOf(`objects/${cluster}`)) as readonly ApiObject[] | null
  }

  async trafficOf(cluster: string): Promise<readonly TrafficView[] | null> {
    return (await this.listOf(`traffic/${cluster}`)) as readonly TrafficView[] | null
  }

  async eventsOf(cluster: string): Promise<readonly ClusterEvent[] | null> {
    return (await this.listOf(`events/${cluster}`)) as readonly ClusterEvent[] | null
  }

  async usageOf(cluster: string): Promise<readonly UsageReport[] | null> {
    return (await this.listOf(`usage/${cluster}`)) as readonly UsageReport[] | null
  }

  async meter(site: string): Promise<readonly MeteredThing[]> {
    return ((await this.listOf(`meter/${site}`)) ?? []) as readonly MeteredThing[]
  }

  /** The version of a slice that stood then; undefined where nobody had looked by then. */
  standingOf(slice: string): Version | undefined {
    return this.standing.get(slice)
  }

  protected async objectSlice(
    cluster: string,
    view: FleetView,
  ): Promise<Slice<readonly ApiObject[]>> {
    const version = this.standing.get(`objects/${cluster}`)
    const value = await this.objectsOf(cluster)
    if (version && value)
      return { state: 'known', version: version.version, at: isoTime(version.at), value }
    return {
      state: 'unheard',
      since: version ? isoTime(version.at) : view.now,
      why: version ? 'its API did not answer' : 'its objects were not looked at yet',
    }
  }

  private async listOf(slice: string): Promise<readonly unknown[] | null> {
    const content = await this.contentOf(slice)
    return content === null ? null : listed.parse(content)
  }

  private async contentOf(slice: string): Promise<Json> {
    const version = this.standing.get(slice)
    return version?.state === 'known' ? this.versions.content(version) : null
  }

  private async compose(): Promise<FleetView> {
    const content = await this.contentOf('fleet/register')
    const { order, ...parts } = content === null ? emptyRegister : registerShape.parse(content)
    return {
      ...parts,
      version: Math.max(0, ...[...this.standing.values()].map(({ id }) => id)),
      now: isoTime(this.at),
      sites: (await this.pictures<SiteView>('site', order.sites)) ?? [],
      clusters: (await this.pictures<ClusterView>('cluster', order.clusters)) ?? [],
      peers: ((await this.listOf('fleet/peers')) ?? []) as NonNullable<FleetView['peers']>,
    }
  }

  private async pictures<T extends { readonly observedAt: string }>(
    kind: 'site' | 'cluster',
    names: readonly string[],
  ): Promise<readonly T[]> {
    const result: T[] = []
    for (const name of names) {
      const version = this.standing.get(`${kind}/${name}`)
      if (version?.state !== 'known') continue
      const content = recorded<T>().parse(await this.versions.content(version))
      result.push({ ...content, observedAt: isoTime(version.at) })
    }
    return result
  }
}

const emptyRegister: Register = {
  order: { sites: [], clusters: [] },
  ledger: [],
  catalogue: [],
  sshKeys: [],
  sshPublic: {},
  credentials: [],
  reservations: [],
  unheard: {},
  workedOn: [],
  expectations: [],
}
