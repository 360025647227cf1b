import { describe, expect, it } from 'vitest'
import { parse } from 'yaml'
import type { Board, WhatIf } from '~/core/placement'
import { containerSizes, requesting } from './container-sizes'
import { changeFor, readWhatIfs, whatIfText, withWhatIf } from './what-ifs'
import { workloadPart } from './workload-part'

const MiB = 1024 ** 2
const desk = 'Deployment/market/desk'

const board: Board = {
  nodes: [
    {
      name: 'c-1',
      pool: 'general',
      zone: 'east-1',
      size: 'post-4-16',
      cordoned: false,
      taints: [],
      cpuMilli: 4000,
      memoryBytes: 16 * 1024 * MiB,
      podLimit: 110,
      cpuUsed: 0,
      memoryUsed: 0,
      pods: [],
      fate: 'stands',
    },
  ],
  waiting: [],
  moves: [],
  blocked: [],
  workloads: [
    {
      key: desk,
      replicas: 2,
      pods: 2,
      containers: [{ name: 'app', cpu: '1', memory: null }],
      tolerations: [{ key: 'gpu', operator: 'Exists', effect: 'NoSchedule' }],
    },
  ],
  zones: ['east-1'],
}

/** The change of a what-if, its text read as the API reads it. */
async function changeOf(whatIf: WhatIf) {
  const change = changeFor(whatIf, 'bramble', board, [{ name: 'general', count: 3 }])
  if (!change || typeof change.intent !== 'function') return change
  const intent = (await (change.intent as () => Promise<unknown>)()) as {
    readonly cluster: string
    readonly manager: string
    readonly text: string
  }
  return { ...intent, kind: change.kind, object: parse(intent.text) as unknown }
}

const request = (container: string, workload = desk): WhatIf => ({
  kind: 'request',
  workload,
  container,
  resource: 'cpu',
  amount: '250m',
})

describe('a what-if as a change', () => {
  it('drains, adds nodes to the pool, and makes no loss come true', async () => {
    expect(await changeOf({ kind: 'drain', node: 'c-1' })).toEqual({
      kind: 'node.drain',
      intent: { cluster: 'bramble', nodes: ['c-1'] },
    })
    expect(await changeOf({ kind: 'nodes', like: 'c-1', count: 2 })).toEqual({
      kind: 'pool.resize',
      intent: { cluster: 'bramble', pool: 'general', count: 5 },
    })
    expect(await changeOf({ kind: 'nodes', like: 'gone', count: 2 })).toBeNull()
    expect(await changeOf({ kind: 'loss', label: 'name', value: 'c-1' })).toBeNull()
  })

  it('applies the one field it is about', async () => {
    expect(await changeOf({ kind: 'replicas', workload: desk, count: 5 })).toMatchObject({
      kind: 'manifest.apply',
      manager: 'gyrarch-replicas',
      object: {
        apiVersion: 'apps/v1',
        kind: 'Deployment',
        metadata: { name: 'desk', namespace: 'market' },
        spec: { replicas: 5 },
      },
    })
  })

  it('takes back no request of another container: each is written in a name of its own', async () => {
    const managers = await Promise.all(
      ['app', 'side'].map(
        async (name) => ((await changeOf(request(name))) as { manager: string }).manager,
      ),
    )
    expect(new Set(managers).size).toBe(2)
    for (const manager of managers) expect(manager).toMatch(/^[a-z0-9][-a-z0-9.]*$/)
  })

  it('keeps the taints that are tolerated already', async () => {
    const change = await changeOf({
      kind: 'toleration',
      workload: desk,
      key: 'spot',
      value: '',
      effect: 'NoExecute',
    })
    expect(change).toMatchObject({
      object: {
        spec: {
          template: {
            spec: {
              tolerations: [
                { key: 'gpu', operator: 'Exists', effect: 'NoSchedule' },
                { key: 'spot', operator: 'Equal', value: '', effect: 'NoExecute' },
              ],
            },
          },
        },
      },
    })
  })

  it.each(['123', 'true', 'null', '1e3', '0x1f', 'no'])(
    'names a workload, container and key called %s by that very text',
    async (name) => {
      const workload = `StatefulSet/${name}/${name}`
      expect(await changeOf(request(name, workload))).toMatchObject({
        object: {
          metadata: { name, namespace: name },
          spec: { template: { spec: { containers: [{ name }] } } },
        },
      })
    },
  )

  it('writes nothing but what it is about, whatever an address says', async () => {
    const key = 'a\nspec: {replicas: 0}\n---\nkind: Secret'
    const change = await changeOf({
      kind: 'toleration',
      workload: desk,
      key,
      value: '"x"',
      effect: 'NoSchedule',
    })
    expect(change).toMatchObject({
      object: { spec: { template: { spec: { tolerations: [{}, { key, value: '"x"' }] } } } },
    })
  })
})

describe('a part of a workload', () => {
  it('of a cron job lies in the jobs it makes', () => {
    expect(workloadPart('CronJob/market/close', { pod: { x: 1 } })).toMatchObject({
      apiVersion: 'batch/v1',
      spec: { jobTemplate: { spec: { template: { spec: { x: 1 } } } } },
    })
  })

  it('is nothing for what cannot be changed once it is there', () => {
    expect(workloadPart('Job/market/once', { pod: {} })).toBeNull()
    expect(workloadPart('Pod/market/own', { pod: {} })).toBeNull()
  })
})

describe('a right size', () => {
  const sizeOf = (proposed: number): { asked: number; used: null; proposed: number } => ({
    asked: 0,
    used: null,
    proposed,
  })
  const container = (name: string, cpu?: string, memory?: string) => ({
    name,
    resources: {
      requests: {
        ...(cpu === undefined ? {} : { cpu }),
        ...(memory === undefined ? {} : { memory }),
      },
    },
  })

  it('of a pod is what all its containers ask for together', () => {
    const sizes = containerSizes(
      [container('app', '600m', '300Mi'), container('side', '200m', '100Mi')],
      { cpu: sizeOf(400), memory: sizeOf(200 * MiB) },
    )
    expect(sizes).toEqual([
      { name: 'app', cpuMilli: 300, memoryMiB: 150 },
      { name: 'side', cpuMilli: 100, memoryMiB: 50 },
    ])
  })

  it('asks for nothing where a container asks for none now', () => {
    const [app, side] = containerSizes([container('app', '1'), container('side')], {
      cpu: sizeOf(400),
      memory: sizeOf(64 * MiB),
    })
    if (!app || !side) throw new Error('a container is missing')
    expect(requesting(app)).toEqual({
      name: 'app',
      resources: { requests: { cpu: '400m', memory: '64Mi' } },
    })
    expect(requesting(side)).toEqual({ name: 'side', resources: { requests: {} } })
  })

  it('takes limits where nothing is asked for, as the scheduler does', () => {
    const limited = { name: 'side', resources: { limits: { cpu: '300m' } } }
    const [, side] = containerSizes([container('app', '100m'), limited], {
      cpu: sizeOf(200),
      memory: sizeOf(0),
    })
    expect(side?.cpuMilli).toBe(150)
  })
})

describe('several what-ifs', () => {
  const replicas = (count: number): WhatIf => ({ kind: 'replicas', workload: desk, count })

  it('of one thing are the later one; nodes add up', () => {
    expect(withWhatIf([replicas(3)], replicas(5))).toEqual([replicas(5)])
    const nodes = (count: number): WhatIf => ({ kind: 'nodes', like: 'c-1', count })
    expect(withWhatIf([nodes(1), replicas(3)], nodes(2))).toEqual([nodes(3), replicas(3)])
    expect(withWhatIf([request('app')], request('side'))).toHaveLength(2)
  })

  it('are told in words', () => {
    expect(whatIfText(replicas(1))).toBe('desk with 1 replica')
    expect(whatIfText({ kind: 'loss', label: 'zone', value: 'east-1' })).toBe('east-1 lost')
    expect(whatIfText(request('app'))).toBe('desk asks for 250m cpu')
  })

  it('are read out of an address; what is none is left out', () => {
    const asked = [replicas(2), { kind: 'drain', node: 'c-1' }]
    expect(readWhatIfs(JSON.stringify(asked))).toEqual(asked)
    expect(readWhatIfs(JSON.stringify([1, null, { kind: 'magic' }, ...asked]))).toEqual(asked)
    for (const text of [null, '', '{', '{}', '7', '"x"']) expect(readWhatIfs(text)).toEqual([])
  })
})
