/** A stand-in’s own API, reached as any cluster’s would be: enrolled, watched, written to, lost and dismissed. */
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { clusterOf, clusterState, nodesOf, stateContext } from '~/core/fleet'
import type { ChangeRecord } from '../../changes/changes'
import { newestClock } from '../../runner/newest-clock'
import { type Opened, openForTest } from '../../testing/open'
import { podLog, probePod } from '../../access/pods'
import { CommandFailed, Writing } from './writing'

/** It reaches its own stand-ins over the wire: as itself, and as somebody else’s. */
let here: Opened
let accessFile: string

beforeAll(async () => {
  here = await openForTest()
  await here.gyrarch.clusterServers.listen()
  accessFile = (await here.gyrarch.access('cedar')).yaml
})
afterAll(() => here.close())

const settle = { timeout: 20_000, interval: 100 }

/** Drafts, runs and waits on the wall’s clock. */
async function run(kind: string, intent: unknown): Promise<ChangeRecord> {
  const { changes } = here.gyrarch
  const { id, findings, guards } = await changes.draft(kind, intent)
  await changes.run(id, { accept: findings.map(({ key }) => key), confirm: guards })
  return vi.waitFor(async () => {
    const change = await changes.get(id)
    if (['running', 'waiting'].includes(change.state))
      throw new Error(`it is ${change.state} for ${change.waitsFor}`)
    return change
  }, settle)
}

const enrol = (name: string, file = accessFile) =>
  run('cluster.enrol', {
    name,
    reach: { kind: 'inbound', accessFile: file },
    labels: { kept: 'far' },
  })

const seen = async (name: string) => {
  const view = await here.gyrarch.fleet.view()
  const cluster = clusterOf(view, name)
  if (!cluster) throw new Error(`there is no ${name}`)
  return { cluster, state: clusterState(cluster, stateContext(view)).state }
}

const causeOf = ({ steps }: ChangeRecord) => {
  const cause = steps[0]?.cause
  return [cause?.reason, cause?.field]
}

describe('what stands in the way halts the run, with the reason and the field', () => {
  const field = 'reach.accessFile'
  it('a token that is refused, and once that is mended the same run goes on', async () => {
    const halted = await enrol('late', accessFile.replace(/token: .*/, 'token: nonsense.nonsense'))
    expect(halted.state).toBe('halted')
    expect(causeOf(halted)).toEqual(['token-refused', field])
    const { changes } = here.gyrarch
    await changes.amend(halted.id, { name: 'late', reach: { kind: 'inbound', accessFile } }, null)
    await changes.retry(halted.id)
    await vi.waitFor(async () => expect((await changes.get(halted.id)).state).toBe('done'), settle)
  })

  it('an authority that did not sign who answers', async () => {
    const another = (await here.gyrarch.access('bramble')).yaml
    const data = /certificate-authority-data: (.*)/.exec(another)?.[1] ?? ''
    const halted = await enrol(
      'w1',
      accessFile.replace(/(certificate-authority-data:) .*/, `$1 ${data}`),
    )
    expect(causeOf(halted)).toEqual(['certificate-untrusted', field])
  })

  it('nobody who answers, with the address', async () => {
    const halted = await enrol('w2', accessFile.replace(/127\.0\.0\.1:\d+/, '127.0.0.1:4'))
    expect(causeOf(halted)).toEqual(['unreachable', field])
    expect(halted.steps[0]?.cause?.says).toContain('127.0.0.1:4')
  })
})

describe('a cluster that is enrolled inbound', () => {
  beforeAll(async () => {
    expect(await enrol('far-cedar')).toMatchObject({ state: 'done', cause: null })
  })

  it('is in the fleet as it is there, under its labels', async () => {
    const { cluster, state } = await seen('far-cedar')
    const original = clusterOf(await here.gyrarch.fleet.view(), 'cedar')
    expect(
      original &&
        nodesOf(cluster)
          .map(({ name }) => name)
          .sort(),
    ).toEqual(
      original &&
        nodesOf(original)
          .map(({ name }) => name)
          .sort(),
    )
    expect(cluster).toMatchObject({
      labels: { kept: 'far' },
      release: original?.release,
      podCount: original?.podCount,
      reach: { kind: 'inbound', heard: true, reason: null },
    })
    expect(state).toBe('well')
  })

  it('ran on the wall, and leaves the clock of the fleet where it is', async () => {
    const { outside } = here.gyrarch
    const lines = await here.gyrarch.journal({ limit: 100 })
    expect(lines.length).toBeGreaterThan(4)
    for (const { at } of lines) expect(Date.parse(at)).toBeLessThanOrEqual(outside.now)
    // A start after a kill sends the stand-ins there.
    expect(await newestClock()).toBeLessThanOrEqual(outside.now)
  })

  it('shows its secret in no record, and none to whoever asks for access', async () => {
    const token = /token: (\S+)/.exec(accessFile)?.[1] ?? ''
    expect(token.length).toBeGreaterThan(30)
    const { id, findings } = await here.gyrarch.changes.draft('cluster.enrol', {
      name: 'Not A Name',
      reach: { kind: 'inbound', accessFile },
    })
    expect(findings.map(({ field }) => field)).toEqual(['name'])
    const told = JSON.stringify([
      await here.gyrarch.changes.get(id),
      await here.gyrarch.changes.list(),
    ])
    expect(told).not.toContain(token)
    const rows = await here.gyrarch.database.sequelize.query('SELECT * FROM reaches')
    expect(JSON.stringify(rows)).not.toContain(token)
    await expect(here.gyrarch.access('far-cedar')).rejects.toMatchObject({ code: 'conflict' })
  })

  it('takes what goes through its API, seen on both sides', async () => {
    const { cluster } = await seen('far-cedar')
    const node = nodesOf(cluster).find(({ pool }) => pool === 'general')?.name ?? ''
    expect(await run('node.cordon', { cluster: 'far-cedar', node })).toMatchObject({
      state: 'done',
    })
    const original = clusterOf(await here.gyrarch.fleet.view(), 'cedar')
    expect(original && nodesOf(original).find(({ name }) => name === node)?.cordoned).toBe(true)
    const text =
      'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: from-afar, namespace: default}\ndata: {a: b}\n'
    const applied = await run('manifest.apply', { cluster: 'far-cedar', text })
    expect(applied).toMatchObject({ state: 'done', cause: null })
    const written = (await here.gyrarch.fleet.objectsOf('cedar'))?.find(
      ({ metadata }) => metadata?.name === 'from-afar',
    )
    expect(JSON.stringify(written)).toContain('"manager":"gyrarch"')
    await here.gyrarch.changes.takeBack(applied.id)
    await vi.waitFor(async () => {
      const names = (await here.gyrarch.fleet.objectsOf('cedar'))?.map(
        ({ metadata }) => metadata?.name,
      )
      expect(names).not.toContain('from-afar')
    }, settle)
  })

  it('takes nothing that needs what stands under it, and says so at once', async () => {
    for (const [kind, intent] of [
      ['pool.resize', { cluster: 'far-cedar', pool: 'general', count: 7 }],
      ['cluster.stop', { cluster: 'far-cedar' }],
      ['cluster.renew-certificates', { cluster: 'far-cedar' }],
    ] as const) {
      const { findings } = await here.gyrarch.changes.draft(kind, intent)
      expect(findings).toMatchObject([{ level: 'stop', rule: 'not-here', field: 'cluster' }])
    }
  })

  it('is not asked from inside, and says why; what its pods write is read', async () => {
    const pods = await here.gyrarch.fleet.objectsOf('far-cedar')
    const { metadata } = pods?.find(({ kind }) => kind === 'Pod') ?? {}
    const pod = `${metadata?.namespace ?? ''}/${metadata?.name ?? ''}`
    await expect(
      probePod(here.gyrarch, 'far-cedar', pod, 'look-up', 'dns.platform'),
    ).rejects.toMatchObject({ code: 'conflict', message: expect.stringContaining('only read') })
    expect(Array.isArray(await podLog(here.gyrarch, 'far-cedar', pod, 5))).toBe(true)
  })

  it('is dismissed, where one of the fleet’s own is not', async () => {
    const { findings } = await here.gyrarch.changes.draft('cluster.dismiss', { cluster: 'cedar' })
    expect(findings).toMatchObject([{ level: 'stop', field: 'cluster' }])
  })

  it('is dismissed under a run that stands halted on it, which is given up', async () => {
    expect(await enrol('far-two')).toMatchObject({ state: 'done' })
    const text = 'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: settings, namespace: default}\n'
    const refused = new CommandFailed('admission', 'settings', 'a webhook refused it')
    const apply = vi.spyOn(Writing.prototype, 'apply').mockRejectedValue(refused)
    const halted = await run('manifest.apply', { cluster: 'far-two', text })
    apply.mockRestore()
    expect(halted.state).toBe('halted')
    expect(await run('cluster.dismiss', { cluster: 'far-two' })).toMatchObject({ state: 'done' })
    expect((await here.gyrarch.changes.get(halted.id)).state).toBe('given-up')
  })

  it('is unknown while it is silent, with all that was last known', async () => {
    const before = await seen('far-cedar')
    await here.gyrarch.clusterServers.close()
    await vi.waitFor(async () => {
      const { cluster, state } = await seen('far-cedar')
      expect([state, cluster.reach?.reason]).toEqual(['unknown', 'unreachable'])
    }, settle)
    const silent = await seen('far-cedar')
    expect(nodesOf(silent.cluster)).toHaveLength(nodesOf(before.cluster).length)
    const { findings } = await here.gyrarch.changes.draft('node.cordon', {
      cluster: 'far-cedar',
      node: nodesOf(silent.cluster)[0]?.name,
    })
    expect(findings).toMatchObject([{ level: 'stop', rule: 'cluster.answers' }])
  })

  it('is asked no more once it is dismissed, and its name is free', async () => {
    expect(await run('cluster.dismiss', { cluster: 'far-cedar' })).toMatchObject({ state: 'done' })
    await expect(seen('far-cedar')).rejects.toThrow('there is no')
    const { findings } = await here.gyrarch.changes.draft('cluster.enrol', {
      name: 'far-cedar',
      reach: { kind: 'outbound' },
    })
    expect(findings.filter(({ level }) => level === 'stop')).toEqual([])
  })
})
