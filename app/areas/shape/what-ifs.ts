/** What-ifs in words, in the address, and as the change that would make them come true. */
import type { Board, WhatIf } from '~/core/placement'
import { countText } from '~/core/units'
import { applying } from '../../parts/applying'
import { type WorkloadPart, workloadPart } from './workload-part'

const nameIn = (workload: string): string => workload.split('/').at(-1) ?? workload

export function whatIfText(whatIf: WhatIf): string {
  switch (whatIf.kind) {
    case 'drain':
      return `${whatIf.node} drained`
    case 'loss':
      return `${whatIf.value} lost`
    case 'nodes':
      return `${countText(whatIf.count, 'node')} more like ${whatIf.like}`
    case 'replicas':
      return `${nameIn(whatIf.workload)} with ${countText(whatIf.count, 'replica')}`
    case 'request':
      return `${nameIn(whatIf.workload)} asks for ${whatIf.amount} ${whatIf.resource}`
    case 'toleration':
      return `${nameIn(whatIf.workload)} tolerates ${whatIf.key}=${whatIf.value}`
  }
}

/** What two what-ifs would both say: the later one replaces the earlier. */
const subject = (whatIf: WhatIf): string => {
  switch (whatIf.kind) {
    case 'drain':
      return `drain ${whatIf.node}`
    case 'loss':
      return `loss ${whatIf.label} ${whatIf.value}`
    case 'nodes':
      return `nodes ${whatIf.like}`
    case 'replicas':
      return `replicas ${whatIf.workload}`
    case 'request':
      return `request ${whatIf.workload} ${whatIf.container} ${whatIf.resource}`
    case 'toleration':
      return `toleration ${whatIf.workload} ${whatIf.key}`
  }
}

export function withWhatIf(whatIfs: readonly WhatIf[], added: WhatIf): readonly WhatIf[] {
  if (added.kind === 'nodes') {
    const whatIf = whatIfs.find(
      (candidate) => candidate.kind === 'nodes' && candidate.like === added.like,
    )
    if (whatIf?.kind === 'nodes')
      return whatIfs.map((eachWhatIf) =>
        eachWhatIf === whatIf ? { ...whatIf, count: whatIf.count + added.count } : eachWhatIf,
      )
  }
  return [...whatIfs.filter((whatIf) => subject(whatIf) !== subject(added)), added]
}

const kinds = new Set(['drain', 'loss', 'nodes', 'replicas', 'request', 'toleration'])

/** What-ifs out of an address; what is none is left out. */
export function readWhatIfs(text: string | null): readonly WhatIf[] {
  if (text === null) return []
  try {
    const read: unknown = JSON.parse(text)
    return Array.isArray(read)
      ? (read.filter(
          (entry: unknown) =>
            typeof entry === 'object' &&
            entry !== null &&
            'kind' in entry &&
            kinds.has(String(entry.kind)),
        ) as readonly WhatIf[])
      : []
  } catch {
    return []
  }
}

/** The part of a workload that a what-if is about, and in whose name it is written; null for what is none of a workload. */
function partOf(
  whatIf: WhatIf,
  board: Board,
): { readonly workload: string; readonly manager: string; readonly part: WorkloadPart } | null {
  switch (whatIf.kind) {
    case 'replicas': {
      const { workload, count } = whatIf
      return { workload, manager: 'gyrarch-replicas', part: { replicas: count } }
    }
    case 'request': {
      const { workload, container, resource, amount } = whatIf
      const requests = { [resource]: amount }
      return {
        workload,
        manager: `gyrarch-${resource}.${container}`,
        part: { pod: { containers: [{ name: container, resources: { requests } }] } },
      }
    }
    case 'toleration': {
      const { workload, key, value, effect } = whatIf
      const before = board.workloads.find((each) => each.key === workload)?.tolerations ?? []
      // The list is one value to the API: what it holds already goes along.
      const tolerations = [...before, { key, operator: 'Equal', value, effect }]
      return { workload, manager: 'gyrarch-tolerations', part: { pod: { tolerations } } }
    }
    default:
      return null
  }
}

/** The change that makes a what-if true, or null where none does (a loss is nothing one asks for). */
export function changeFor(
  whatIf: WhatIf,
  cluster: string,
  board: Board,
  pools: readonly { readonly name: string; readonly count: number }[],
): { readonly kind: string; readonly intent: unknown } | null {
  if (whatIf.kind === 'drain')
    return { kind: 'node.drain', intent: { cluster, nodes: [whatIf.node] } }
  if (whatIf.kind === 'nodes') {
    const name = board.nodes.find((node) => node.name === whatIf.like)?.pool
    const pool = pools.find((candidate) => candidate.name === name)
    return pool
      ? {
          kind: 'pool.resize',
          intent: { cluster, pool: pool.name, count: pool.count + whatIf.count },
        }
      : null
  }
  const asked = partOf(whatIf, board)
  const object = asked && workloadPart(asked.workload, asked.part)
  return asked && object
    ? { kind: 'manifest.apply', intent: applying(cluster, asked.manager, object) }
    : null
}
