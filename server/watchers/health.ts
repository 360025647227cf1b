/** Health keeping at work: looks when nodes change and when something is due, and runs what was decided like any change. */
import type { Params } from '~/core/contract'
import type { SliceName } from '~/core/contract'
import type { Watcher } from './watcher'
import { Op } from 'sequelize'
import { nodesOf, type FleetView } from '~/core/fleet'
import {
  decideHealth,
  type DiagnosedNode,
  type HealthPast,
  type HealthPolicy,
  leftAlone,
  type SharedCause,
  sharedCauses,
  silentNodes,
  usualHealth,
} from '~/core/keeping'
import { listText } from '~/core/units'
import { ChangeRow, ClusterRow } from '../records/models'
import { changeId } from '../runner/journal'
import { Looker, type LookerParts } from './looker'

const kinds = ['machine.restart', 'machine.replace'] as const
const stirMs = 30_000

/** What marks a change as health keeping’s own. */
const mark = 'health keeping'

export class Health implements Watcher {
  private dueAt: number | null = null
  private readonly told = new Set<string>()
  private judged: {
    readonly version: FleetView['version']
    readonly causes: readonly SharedCause[]
  } | null = null

  private readonly looker: Looker

  constructor(
    private readonly parts: LookerParts,
    /** What open cases say of nodes. */
    private readonly diagnosed: () => Promise<readonly DiagnosedNode[]>,
  ) {
    this.looker = new Looker(() => this.once(), parts.onError, 'health')
  }

  wakeAt(): number | null {
    return this.dueAt
  }

  atRest(): Promise<void> {
    return this.looker.atRest()
  }

  /** Nodes may have changed: looked at shortly after, so that a busy fleet is not looked at at every event. */
  stirred(slices: readonly SliceName[]): void {
    if (slices.some((slice) => slice.startsWith('cluster:'))) this.lookSoon()
  }

  /** A policy was set: what it means is seen shortly. */
  lookSoon(): void {
    this.dueAt = Math.min(this.dueAt ?? Infinity, this.parts.clock.now + stirMs)
  }

  /** What was due is due. Never two looks at once. */
  look(): void {
    this.looker.look()
  }

  async policies(): Promise<ReadonlyMap<string, HealthPolicy>> {
    return new Map(
      (await ClusterRow.findAll()).map((row) => [row.name, { ...usualHealth, ...row.health }]),
    )
  }

  /** What explains silent nodes of the fleet several at a time, or stops the way of one. */
  async causes(): Promise<readonly SharedCause[]> {
    const plain = await this.parts.fleet.view()
    const clusters = [...new Set(silentNodes(plain).map(({ cluster }) => cluster))]
    if (clusters.length === 0) return []
    if (this.judged?.version === plain.version) return this.judged.causes
    const view = await this.parts.fleet.viewFor(
      [],
      clusters.map((name) => `cluster/${name}`),
    )
    const causes = sharedCauses(view, (cluster, name) => {
      const node = nodesOf(cluster).find((candidate) => candidate.name === name)
      return node !== undefined && leftAlone(node, cluster, view)
    })
    this.judged = { version: view.version, causes }
    return causes
  }

  /** What was done before; what halted helped nobody and is ended, so that the next step can be taken. */
  private async past(): Promise<readonly HealthPast[]> {
    const rows = await ChangeRow.findAll({
      where: { kind: { [Op.in]: [...kinds] }, title: mark },
      order: [['number', 'DESC']],
      limit: 500,
    })
    for (const row of rows)
      if (row.state === 'halted') await this.parts.changes.giveUp(changeId(row.number))
    return [...rows].reverse().flatMap((row): HealthPast[] => {
      const { cluster, node } = row.intent as { cluster: string; node: string }
      if (row.startedAt === null) return []
      const running = row.state === 'running' || row.state === 'undoing' || row.state === 'waiting'
      return [
        {
          cluster,
          node,
          kind: row.kind as HealthPast['kind'],
          startedAt: row.startedAt,
          endedAt: running ? null : (row.endedAt ?? row.startedAt),
        },
      ]
    })
  }

  private async once(): Promise<void> {
    const view = await this.parts.fleet.view()
    const ailing = view.clusters.some((cluster) =>
      cluster.pools.some((pool) =>
        pool.nodes.some(
          (node) =>
            !node.conditions.some(
              (condition) => condition.type === 'Ready' && condition.status === 'True',
            ),
        ),
      ),
    )
    if (!ailing) {
      this.dueAt = null
      this.told.clear()
      return
    }
    const past = await this.past()
    const policies = await this.policies()
    const causes = await this.causes()
    const decision = decideHealth(
      view,
      (cluster) => policies.get(cluster) ?? usualHealth,
      past,
      causes,
      await this.diagnosed(),
    )
    this.dueAt =
      decision.lookAgainAt === null
        ? null
        : Math.max(this.parts.clock.now + 1, Date.parse(decision.lookAgainAt))
    for (const act of decision.acts) {
      const says = `${act.node} of ${act.cluster}: ${act.reason}`
      await this.parts.journal({
        kind: 'health.acts',
        about: `node/${act.cluster}/${act.node}`,
        says: `health keeping: ${says}; ${act.kind === 'machine.restart' ? 'it is restarted' : 'its machine is replaced'}`,
        params: { cluster: act.cluster, node: act.node, change: act.kind, reason: act.reason },
      })
      const refused = await this.parts.changes.runUnattended(
        act.kind,
        { cluster: act.cluster, node: act.node, reason: act.reason },
        mark,
      )
      if (refused === null) continue
      await this.tellOnce(
        'health.stuck',
        `${act.cluster}/${act.node}`,
        `health keeping cannot ${act.kind === 'machine.restart' ? 'restart' : 'replace'} ${act.node}: ${refused}`,
        `node/${act.cluster}/${act.node}`,
        { cluster: act.cluster, node: act.node, change: act.kind, refused },
      )
      this.dueAt = Math.min(this.dueAt ?? Infinity, this.parts.clock.now + 300_000)
    }
    for (const cause of causes) await this.tellCause(cause)
    for (const { cluster, node, code, says } of decision.held)
      await this.tellOnce(
        'health.stuck',
        `${cluster}/${node}/${code}`,
        `health keeping: ${says} Somebody has to look.`,
        `node/${cluster}/${node}`,
        { cluster, node, code },
      )
  }

  private async tellCause(cause: SharedCause): Promise<void> {
    const clusters = [...new Set(cause.nodes.map(({ cluster }) => cluster))]
    const remedy = cause.remedies[0]
    await this.tellOnce(
      'health.one-cause',
      `${cause.code} ${clusters.join()} ${JSON.stringify(cause.params)}`,
      `health keeping: ${cause.says} Nothing is restarted or replaced.${remedy ? ` What helps, proven: ${remedy.says}.` : ''}`,
      clusters.length === 1 ? `cluster/${listText(clusters)}` : `site/${cause.site}`,
      { code: cause.code, clusters, remedy: remedy?.says ?? null },
    )
  }

  private async tellOnce(
    kind: string,
    key: string,
    says: string,
    about: string,
    params: Params,
  ): Promise<void> {
    if (this.told.has(key)) return
    this.told.add(key)
    await this.parts.journal({ kind, about, says, params })
  }
}
