/** What-ifs in words, in the address, and as the change that would make them come true. */
import type { Board, WhatIf } from '~/core/placement'
import { countText } from '~/core/units'

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

const apiVersions: Readonly<Record<string, string>> = {
  Deployment: 'apps/v1',
  StatefulSet: 'apps/v1',
  DaemonSet: 'apps/v1',
  Job: 'batch/v1',
  CronJob: 'batch/v1',
}

/** The change that makes a what-if true, or null where none does (a loss is nothing one asks for). */
export function changeFor(
  whatIf: WhatIf,
  cluster: string,
  board: Board,
  pools: readonly { readonly name: string; readonly count: number }[],
): { readonly kind: string; readonly intent: unknown } | null {
  const manifest = (
    workload: string,
    spec: string,
    manager: string,
  ): { kind: string; intent: unknown } | null => {
    const [kind = '', namespace = '', name = ''] = workload.split('/')
    const apiVersion = apiVersions[kind]
    // Each kind of setting has a manager of its own: applying one never takes another one back.
    return apiVersion === undefined
      ? null
      : {
          kind: 'manifest.apply',
          intent: {
            cluster,
            manager,
            text: `apiVersion: ${apiVersion}\nkind: ${kind}\nmetadata:\n  name: ${name}\n  namespace: ${namespace}\nspec:\n${spec}`,
          },
        }
  }
  switch (whatIf.kind) {
    case 'drain':
      return { kind: 'node.drain', intent: { cluster, nodes: [whatIf.node] } }
    case 'loss':
      return null
    case 'nodes': {
      const pool = board.nodes.find((node) => node.name === whatIf.like)?.pool
      const existingPool = pools.find((candidate) => candidate.name === pool)
      return existingPool
        ? {
            kind: 'pool.resize',
            intent: { cluster, pool: existingPool.name, count: existingPool.count + whatIf.count },
          }
        : null
    }
    case 'replicas':
      return manifest(whatIf.workload, `  replicas: ${whatIf.count}\n`, 'gyrarch-replicas')
    case 'request':
      return manifest(
        whatIf.workload,
        `  template:\n    spec:\n      containers:\n        - name: ${whatIf.container}\n          resources:\n            requests:\n              ${whatIf.resource}: ${JSON.stringify(whatIf.amount)}\n`,
        `gyrarch-${whatIf.resource}`,
      )
    case 'toleration':
      return manifest(
        whatIf.workload,
        `  template:\n    spec:\n      tolerations:\n        - key: ${whatIf.key}\n          operator: Equal\n          value: ${JSON.stringify(whatIf.value)}\n          effect: ${whatIf.effect}\n`,
        'gyrarch-tolerations',
      )
  }
}
