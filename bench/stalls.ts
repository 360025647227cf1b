/** The longest stall of the server’s event loop while each page is made and a draft is judged, at 5,000 nodes. */
import { birch } from '../core/testing/drafts'
import { serve } from '../e2e/server'
import type { Figure } from './figure'

const pages = [
  '/fleet',
  '/fleet?as=table',
  '/ground?site=mossgate',
  '/ground/addresses',
  '/ground/packing?site=mossgate',
  '/ground/names?site=mossgate',
  '/raise',
  '/raise/enrol',
  '/raise/compare',
  '/clusters/cedar-02',
  '/clusters/cedar-02?show=objects',
  '/shape',
  '/shape/board?aim=cluster/cedar-02',
  '/shape/workloads?aim=cluster/cedar-02',
  '/shape/sizes',
  '/shape/namespaces?aim=cluster/cedar-02',
  '/shape/scaling',
  '/shape/rest',
  '/shape/manifests?aim=cluster/cedar-02',
  '/shape/windows',
  '/shape/spend',
  '/wire?aim=cluster/cedar-02',
  '/wire/walk?aim=cluster/cedar-02',
  '/wire/policies?aim=cluster/cedar-02',
  '/wire/calls?aim=cluster/cedar-02',
  '/wire/traffic?aim=cluster/cedar-02',
  '/wire/firewall?aim=site/mossgate',
  '/wire/hosts?aim=cluster/cedar-02',
  '/wire/translation?aim=cluster/cedar-02',
  '/wire/names?aim=cluster/cedar-02',
  '/store?aim=cluster/cedar-02',
  '/store/disks?aim=cluster/cedar-02',
  '/store/network?aim=cluster/cedar-02',
  '/store/registries',
  '/store/shipments',
  '/renew',
  '/renew/audit?aim=cluster/cedar-02',
  '/renew/upgrades?aim=cluster/cedar-02',
  '/renew/waves',
  '/renew/rehearse',
  '/mend',
  '/mend/told',
  '/mend/practice',
  '/mend/practice/replay',
  '/journal',
  '/journal/observed',
  '/journal/compare',
  '/journal/estimates',
  '/journal/1',
  '/keys',
  '/faults',
] as const

interface DraftAsked {
  readonly name: string
  readonly kind: string
  readonly intent: object
}

const cluster = 'cedar-02'
const node = 'cedar-02-general-1'

const drafts: readonly DraftAsked[] = [
  { name: 'a raise', kind: 'cluster.raise', intent: birch },
  { name: 'a takedown', kind: 'cluster.takedown', intent: { cluster } },
  { name: 'an upgrade', kind: 'cluster.upgrade', intent: { cluster, to: '1.33.2' } },
  { name: 'labels', kind: 'cluster.label', intent: { cluster, labels: { kept: 'far' } } },
  { name: 'a larger pool', kind: 'pool.resize', intent: { cluster, pool: 'general', count: 121 } },
  { name: 'a smaller pool', kind: 'pool.resize', intent: { cluster, pool: 'general', count: 60 } },
  {
    name: 'a pool of other labels',
    kind: 'pool.edit',
    intent: { cluster, pool: 'general', labels: { kept: 'far' } },
  },
  { name: 'a pool removed', kind: 'pool.remove', intent: { cluster, pool: 'general' } },
  { name: 'a drain', kind: 'node.drain', intent: { cluster, nodes: [node] } },
  { name: 'a restart', kind: 'machine.restart', intent: { cluster, node } },
  { name: 'a machine replaced', kind: 'machine.replace', intent: { cluster, node } },
  {
    name: 'a manifest',
    kind: 'manifest.apply',
    intent: {
      cluster,
      text: 'kind: ConfigMap\napiVersion: v1\nmetadata: {name: lamp, namespace: default}\n',
    },
  },
  {
    name: 'a firewall',
    kind: 'wire.firewall',
    intent: {
      site: 'mossgate',
      put: [
        {
          name: 'lamp',
          priority: 400,
          direction: 'in',
          action: 'deny',
          from: ['10.20.0.0/16'],
          to: ['10.20.16.0/20'],
          protocol: 'tcp',
          ports: ['8080'],
          enabled: true,
        },
      ],
    },
  },
  {
    name: 'a storage link',
    kind: 'storage.link',
    intent: { cluster, node, network: 'mossgate-02 nodes', mtu: 1500 },
  },
  { name: 'certificates', kind: 'cluster.renew-certificates', intent: { cluster } },
]

const aim = { atMost: 50 } as const

/** A page by its path, and by what of it is shown where that is another page. */
const nameOf = (path: string): string => {
  const [page = path, query = ''] = path.split('?')
  const part = /^(?:as|show)=(.*)$/.exec(query)?.[1]
  return part === undefined ? page : `${page} (${part})`
}

/** Figures of a server that has looked at everything once: what it does at its start is not a page. */
export async function stallFigures(): Promise<readonly Figure[]> {
  const served = await serve({ args: ['--nodes', '5000'] })
  const longest = async (): Promise<number> => {
    const answer = (await (await fetch(`${served.url}/api/v1/health`)).json()) as {
      stall: { longestMs: number }
    }
    return answer.stall.longestMs
  }
  /** The shorter of two: a pause of the machine is not one of the page. */
  const stallOf = async (work: () => Promise<unknown>): Promise<number> => {
    const stalls: number[] = []
    for (let i = 0; i < 3; i++) {
      await longest()
      await work()
      stalls.push(await longest())
    }
    return Math.min(...stalls.slice(1))
  }
  /** Of what stands against it as well: it is drafted. */
  const draft = async (body: Omit<DraftAsked, 'name'>): Promise<string> => {
    const response = await fetch(`${served.url}/api/v1/changes`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    })
    if (response.status !== 201) throw new Error(`${body.kind}: ${await response.text()}`)
    return ((await response.json()) as { readonly id: string }).id
  }
  try {
    await fetch(`${served.url}/api/v1/clock`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ speed: 0 }),
    })
    await (await fetch(`${served.url}/fleet`)).text()
    await new Promise((resolve) => setTimeout(resolve, 8000))
    const figures: Figure[] = []
    for (const path of pages)
      figures.push({
        name: `Longest stall of ${nameOf(path)} at 5,000 nodes`,
        value: await stallOf(async () => (await fetch(served.url + path)).text()),
        unit: 'ms',
        aim,
      })
    for (const { name, ...body } of drafts) {
      let drafted = ''
      figures.push({
        name: `Longest stall of drafting ${name} at 5,000 nodes`,
        value: await stallOf(async () => (drafted = await draft(body))),
        unit: 'ms',
        aim,
      })
      figures.push({
        name: `Longest stall of the page of ${name} at 5,000 nodes`,
        value: await stallOf(async () => (await fetch(`${served.url}/changes/${drafted}`)).text()),
        unit: 'ms',
        aim,
      })
    }
    return figures
  } finally {
    await served.remove()
  }
}
