/** Node autoscaling at work: a little after something about a cluster has changed its pools are looked at, and resized like any change. */
import type { SliceName } from '~/core/contract'
import type { Watcher } from './watcher'
import { Op } from 'sequelize'
import { type AutoscaleDecision, decideNodes, patienceMs } from '~/core/keeping'
import { ChangeRow, ClusterRow } from '../records/models'
import { Looker, type LookerParts } from './looker'

const loopMs = 10_000
const mark = 'autoscaling'

export class Autoscale implements Watcher {
  private dueAt: number | null = null
  /** Slices of the clusters that scale by themselves. */
  private on: ReadonlySet<string> = new Set()
  /** Since when each node has been half empty (ms), by `cluster/node`; known anew after a start. */
  private readonly halfEmpty = new Map<string, number>()
  private readonly told = new Map<string, string>()

  private readonly looker: Looker

  constructor(private readonly parts: LookerParts) {
    this.looker = new Looker(() => this.once(), parts.onError, 'autoscaler')
  }

  wakeAt(): number | null {
    return this.dueAt
  }

  atRest(): Promise<void> {
    return this.looker.atRest()
  }

  stirred(slices: readonly SliceName[]): void {
    if (slices.some((slice) => this.on.has(slice))) this.lookSoon()
  }

  /** Which clusters scale by themselves is read anew, and they are looked at with the next turn of the loop. */
  registered(): void {
    void this.readRegister().catch((error: unknown) => this.parts.onError(error))
  }

  private async readRegister(): Promise<void> {
    const rows = await ClusterRow.findAll({ attributes: ['name', 'autoscale'] })
    this.on = new Set(
      rows.filter((row) => row.autoscale?.enabled === true).map((row) => `cluster:${row.name}`),
    )
    if (this.on.size > 0) this.lookSoon()
  }

  private lookSoon(): void {
    const soon = (Math.floor(this.parts.clock.now / loopMs) + 1) * loopMs
    this.dueAt = Math.min(this.dueAt ?? Infinity, soon)
  }

  /** What was due is due. Never two looks at once. */
  look(): void {
    this.dueAt = null
    this.looker.look()
  }

  private async once(): Promise<void> {
    const view = await this.parts.fleet.view()
    const { now } = this.parts.clock
    for (const cluster of view.clusters) {
      if (cluster.autoscale?.enabled !== true || !cluster.apiAnswers || cluster.resting) continue
      const own = await ChangeRow.findAll({
        where: { kind: 'pool.resize', title: mark },
        order: [['number', 'DESC']],
        limit: 50,
      })
      const changes = own.filter(
        (row) => (row.intent as { cluster?: unknown }).cluster === cluster.name,
      )
      // One after another: what a resize under way will bring is not there to be counted yet.
      const open = await ChangeRow.findAll({
        where: {
          kind: { [Op.in]: ['pool.resize', 'pool.add', 'pool.remove'] },
          state: { [Op.in]: ['running', 'waiting', 'undoing', 'halted'] },
        },
      })
      const busy = open.filter(
        (row) => (row.intent as { cluster?: unknown }).cluster === cluster.name,
      )
      if (busy.length > 0) {
        // One that has halted keeps its lock until somebody ends it: nothing to hurry for.
        const again = busy.every((row) => row.state === 'halted') ? 30 * loopMs : 3 * loopMs
        this.dueAt = Math.min(this.dueAt ?? Infinity, now + again)
        continue
      }
      const objects = await this.parts.fleet.objectsOf(cluster.name)
      if (!objects) continue
      const grown = changes.find(
        (row) =>
          row.state === 'done' &&
          row.endedAt !== null &&
          row.plan?.creates.some((made) => made.startsWith('machine/')) === true,
      )
      const decision = decideNodes(
        cluster,
        view,
        objects,
        cluster.autoscale,
        (node) => this.halfEmpty.get(`${cluster.name}/${node}`) ?? null,
        grown?.endedAt ? Date.parse(grown.endedAt) : null,
      )
      const nowEmpty = new Set(decision.halfEmpty.map((node) => `${cluster.name}/${node}`))
      for (const key of [...this.halfEmpty.keys()])
        if (key.startsWith(`${cluster.name}/`) && !nowEmpty.has(key)) this.halfEmpty.delete(key)
      for (const key of nowEmpty) if (!this.halfEmpty.has(key)) this.halfEmpty.set(key, now)
      for (const request of decision.resize) await this.resize(cluster.name, request)
      // A node that is half empty is looked at again when it has been so for long enough.
      const waits = decision.halfEmpty
        .map((node) => (this.halfEmpty.get(`${cluster.name}/${node}`) ?? now) + patienceMs)
        .filter((at) => at > now)
      if (waits.length > 0) this.dueAt = Math.min(this.dueAt ?? Infinity, ...waits)
    }
  }

  private async resize(
    cluster: string,
    request: AutoscaleDecision['resize'][number],
  ): Promise<void> {
    const refused = await this.parts.changes.runUnattended(
      'pool.resize',
      { cluster, pool: request.pool, count: request.count, nodes: [...request.nodes] },
      mark,
    )
    const says =
      refused === null
        ? `autoscaling: ${request.pool} of ${cluster} to ${request.count} nodes: ${request.because}`
        : `autoscaling cannot resize ${request.pool} of ${cluster} to ${request.count}: ${refused}`
    if (refused !== null) {
      this.dueAt = Math.min(this.dueAt ?? Infinity, this.parts.clock.now + 300_000)
      if (this.told.get(`${cluster}/${request.pool}`) === says) return
    }
    this.told.set(`${cluster}/${request.pool}`, says)
    await this.parts.journal({
      kind: refused === null ? 'autoscale.acts' : 'autoscale.stuck',
      about: `pool/${cluster}/${request.pool}`,
      says,
      params: { cluster, pool: request.pool, count: request.count, refused },
    })
  }
}
