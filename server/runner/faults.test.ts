import { describe, expect, it } from 'vitest'
import { usualHealth } from '~/core/keeping'
import type { Gyrarch } from '../gyrarch'
import type { ChangeRecord } from '../changes/changes'
import { setHealth } from '../watchers/health-policy'
import { birch, fernlet, gyrarchForEach, runOut } from '../testing/open'

let gyrarch: Gyrarch
gyrarchForEach((opened) => {
  gyrarch = opened.gyrarch
})

const run = async (id: string): Promise<ChangeRecord> => {
  const draft = await gyrarch.changes.get(id)
  expect(draft.findings.filter((finding) => finding.level === 'stop')).toEqual([])
  await gyrarch.changes.run(id, {
    accept: draft.findings.map((finding) => finding.key),
    confirm: draft.guardedBy ?? undefined,
  })
  return runOut(gyrarch, id)
}

const start = async (intent: unknown, kind = 'cluster.raise'): Promise<string> => {
  const draft = await gyrarch.changes.draft(kind, intent)
  expect(draft.findings.filter((finding) => finding.level === 'stop')).toEqual([])
  await gyrarch.changes.run(draft.id, {
    accept: draft.findings.map((finding) => finding.key),
    confirm: draft.guardedBy ?? undefined,
  })
  return draft.id
}

/** Does what the first remedy that fits says: in the run itself, or by another change first. */
async function takeRemedy(id: string, wanted: RegExp): Promise<ChangeRecord> {
  const halted = await gyrarch.changes.get(id)
  expect(halted.state).toBe('halted')
  const remedy = halted.remedies.find((remedy) => wanted.test(remedy.says))
  expect(
    halted.remedies.map((otherRemedy) => otherRemedy.says),
    halted.cause?.says,
  ).toEqual(expect.arrayContaining([expect.stringMatching(wanted)]))
  if (!remedy) return halted
  if ('patchDraft' in remedy.change) {
    const { patchDraft } = await import('~/core/changes')
    expect(remedy.goesOn).toBe(true)
    await gyrarch.changes.amend(id, patchDraft(halted.intent, remedy.change.patchDraft), null)
  } else {
    const change = await gyrarch.changes.draft(remedy.change.kind, remedy.change.intent)
    expect((await run(change.id)).state).toBe('done')
  }
  await gyrarch.changes.retry(id)
  return runOut(gyrarch, id)
}

const fault = (kind: string, about: string, times?: number): Promise<string> =>
  gyrarch.putFault({
    fault: kind,
    about,
    mode: times === undefined ? 'permanent' : 'transient',
    times: times ?? 1,
    afterSeconds: 0,
  })

const raiseAt = {
  hall: birch,
  cloud: fernlet,
  front: { ...birch, networks: { virtualAddresses: '10.20.40.32-10.20.40.35' } },
}

/** The case of a run, once there was time to open or close it. */
async function caseOf(id: string) {
  for (let minute = 0; minute < 3; minute++) {
    await gyrarch.outside.advance(60)
    await gyrarch.cases.atRest()
  }
  const rows = await gyrarch.cases.list()
  return rows.find(({ troubles }) => troubles.some(({ subject }) => subject === `run/${id}`))
}

/** Fault, what it is about, where the run stands when it is put in (seconds), what the cause says, which remedy is taken. */
const cases: readonly {
  readonly fault: string
  readonly about: string
  readonly at?: keyof typeof raiseAt
  readonly after?: number
  readonly times?: number
  readonly cause: RegExp
  readonly lowest: string
  readonly remedy: RegExp
  readonly change?: Record<string, unknown>
}[] = [
  {
    fault: 'image-missing',
    about: 'image/mossgate/1.33.2',
    cause: /no base image of 1\.33\.2/,
    lowest: 'image/mossgate/1.33.2',
    remedy: /Put the image of 1\.33\.2 in place/,
  },
  {
    fault: 'size-withdrawn',
    about: 'size/tarn-north/north-2/reed-2-8',
    at: 'cloud',
    cause: /does not offer reed-2-8 in north-2/,
    lowest: 'size/tarn-north/north-2/reed-2-8',
    remedy: /Put general in north-1/,
  },
  {
    fault: 'no-stock',
    about: 'size/tarn-north/north-2/reed-2-8',
    at: 'cloud',
    cause: /has no reed-2-8 left/,
    lowest: 'size/tarn-north/north-2/reed-2-8',
    remedy: /Put general in north-1/,
  },
  {
    fault: 'quota-lowered',
    about: 'site/tarn-north',
    at: 'cloud',
    cause: /quota of tarn-north/,
    lowest: 'quota/tarn-north/cores',
    remedy: /Ask tarn-north for/,
  },
  {
    fault: 'hosts-out',
    about: 'zone/mossgate/mossgate-b',
    cause: /every host of mossgate-b is out of service/,
    lowest: 'zone/mossgate/mossgate-b',
    remedy: /Put .* back in service/,
  },
  {
    fault: 'store-full',
    about: 'zone/mossgate/mossgate-b',
    cause: /disk store of mossgate-b/,
    lowest: 'store/mossgate/mossgate-b',
    remedy: /Remove leftover-mossgate-b/,
  },
  {
    fault: 'pool-empty',
    about: 'network/mossgate/mossgate nodes',
    cause: /got no address/,
    lowest: 'network/mossgate/mossgate nodes',
    remedy: /Give back \d+ leases/,
  },
  {
    fault: 'dhcp-silent',
    about: 'network/mossgate/mossgate nodes',
    cause: /DHCP server of mossgate nodes does not answer/,
    lowest: 'network/mossgate/mossgate nodes',
    remedy: /Restart the DHCP server/,
  },
  {
    fault: 'name-server-wrong',
    about: 'network/mossgate/mossgate nodes',
    cause: /cannot resolve names: no answer from 10\.20\.19\.254/,
    lowest: 'network/mossgate/mossgate nodes',
    remedy: /hand out 10\.20\.0\.250/,
  },
  {
    fault: 'time-silent',
    about: 'site/mossgate',
    cause: /certificate is not valid yet/,
    lowest: 'time-server/mossgate/time-1.mossgate.fernhollow.example',
    remedy: /Restart the time servers/,
  },
  {
    fault: 'route-missing',
    about: 'network/mossgate/mossgate frontage',
    at: 'front',
    cause: /Nothing answers at 10\.20\.40\.32: mossgate frontage has no route/,
    lowest: 'route/mossgate/mossgate frontage',
    remedy: /Add the route to 10\.20\.16\.0\/22 by 10\.20\.40\.1/,
  },
  {
    fault: 'boot-data-cut',
    about: 'site/mossgate',
    cause: /could not read its user-data: it ends in the middle of line \d+/,
    lowest: 'boot-data/mossgate/birch-cp-1',
    remedy: /Publish the boot data/,
  },
  {
    fault: 'runtime-fails',
    about: 'site/mossgate',
    times: 1,
    cause: /container runtime of birch-cp-1 does not start/,
    lowest: 'runtime/mossgate/birch-cp-1',
    remedy: /Make birch-cp-1 anew/,
    change: { mode: 'permanent' },
  },
  {
    fault: 'agent-silent',
    about: 'machine/mossgate/birch-general-1',
    cause: /node agent of birch-general-1 has not registered/,
    lowest: 'agent/mossgate/birch-general-1',
    remedy: /Make birch-general-1 anew/,
  },
  {
    fault: 'machine-dies',
    about: 'machine/mossgate/birch-general-2',
    cause: /birch-general-2 died/,
    lowest: 'disk/mossgate/birch-general-2-root',
    remedy: /Make birch-general-2 anew/,
  },
]

describe('a failure of the outside', () => {
  it.each(cases)('$fault is told by its lowest cause, and its remedy clears it', async (entry) => {
    const scenario = await gyrarch.outside.faults()
    for (const active of scenario.active) await gyrarch.endFault(active.id)
    const about = entry.fault === 'runtime-fails' ? 'machine/mossgate/birch-cp-1' : entry.about
    if (entry.at === 'front') {
      // The hall lacks the route from the beginning: the draft says so, and its remedy is a ready draft.
      const draft = await gyrarch.changes.draft('cluster.raise', raiseAt.front)
      const missing = draft.findings.find((finding) => finding.rule === 'route.missing')
        ?.remedies[0]
      if (!missing || 'patchDraft' in missing.change)
        throw new Error('the missing route has no remedy')
      expect(
        (await run((await gyrarch.changes.draft(missing.change.kind, missing.change.intent)).id))
          .state,
      ).toBe('done')
    }
    const id = await start(raiseAt[entry.at ?? 'hall'])
    await fault(entry.fault, about)
    const halted = await runOut(gyrarch, id)
    expect(halted.state).toBe('halted')
    const failed = halted.steps.find((step) => step.state === 'failed')
    expect(failed?.cause?.says).toMatch(entry.cause)
    expect(failed?.cause?.chain[0]?.about).toBe(entry.lowest)
    // The chain ends at the change: the lowest failing thing’s message reaches the top with the path it took.
    expect(failed?.cause?.chain.at(-1)?.about).toBe(`change/${id}`)
    // A run that stands still is a case, whose cause is the lowest that failed.
    expect(await caseOf(id)).toMatchObject({ state: 'open', about: entry.lowest })
    const done = await takeRemedy(id, entry.remedy)
    expect(
      done.steps.filter((step) => step.state === 'failed').map((step) => step.cause?.says),
    ).toEqual([])
    expect(done.state).toBe('done')
    expect(done.proof?.every((proof) => proof.holds)).toBe(true)
    expect(await caseOf(id)).toMatchObject({ state: 'closed', closedBy: `${id} is done` })
  })

  it('certificate-expired halts what is done to the cluster, and renewing clears it', async () => {
    const id = await start({ cluster: 'cedar', pool: 'general', count: 7 }, 'pool.resize')
    await fault('certificate-expired', 'cluster/cedar')
    const halted = await runOut(gyrarch, id)
    expect(halted.steps.find((step) => step.state === 'failed')?.cause).toMatchObject({
      reason: 'certificate-expired',
      chain: [{ about: 'certificate/cedar/api' }, { about: 'cluster/cedar' }, {}],
    })
    expect(
      gyrarch.fleet.last().clusters.find((cluster) => cluster.name === 'cedar')?.apiAnswers,
    ).toBe(false)
    const remedy = halted.remedies.find(
      (remedy) => remedy.says === 'Renew the certificates of cedar',
    )
    if (!remedy || 'patchDraft' in remedy.change)
      throw new Error(
        `no remedy among ${halted.remedies.map((otherRemedy) => otherRemedy.says).join()}`,
      )
    const change = await gyrarch.changes.draft(remedy.change.kind, remedy.change.intent)
    // The halted run holds the pool, renewing wants the cluster: it waits for nobody that works.
    expect((await run(change.id)).state).toBe('done')
    await gyrarch.changes.retry(id, 'cedar')
    expect(await runOut(gyrarch, id)).toMatchObject({
      state: 'done',
      proof: [{ holds: true, observed: '7 nodes, 7 ready' }],
    })
  })
})

describe('a raise', () => {
  it('begun on a temporary machine leaves none of it, has its storage class, and answers from outside', async () => {
    for (const active of (await gyrarch.outside.faults()).active) await gyrarch.endFault(active.id)
    const done = await run(
      (
        await gyrarch.changes.draft('cluster.raise', {
          ...birch,
          controlPlane: { kind: 'own', count: 3, begins: 'temporary-machine' },
          storageClass: 'hall-copies',
        })
      ).id,
    )
    expect([done.state, done.cause?.says ?? null]).toEqual(['done', null])
    const site = (await gyrarch.fleet.view()).sites.find((site) => site.name === 'mossgate')
    expect(
      site?.machines
        .filter((machine) => machine.cluster === 'birch')
        .map((machine) => machine.name)
        .sort(),
    ).toEqual(['birch-cp-1', 'birch-cp-2', 'birch-cp-3', 'birch-general-1', 'birch-general-2'])
    expect([...((await gyrarch.observe.cluster('birch'))?.members ?? [])].sort()).toEqual([
      'birch-cp-1',
      'birch-cp-2',
      'birch-cp-3',
    ])
    expect((await gyrarch.observe.objects('birch', { kind: 'StorageClass' }))?.length).toBe(1)
    const cloud = await run(
      (
        await gyrarch.changes.draft('cluster.raise', {
          ...fernlet,
          networks: { frontage: 'tarn-north virtual addresses', nodeAddresses: 'public' },
        })
      ).id,
    )
    expect(
      cloud.proof?.find((proof) => proof.says === 'It can be reached from outside'),
    ).toMatchObject({ holds: true, observed: '203.0.113.1:443 answers' })
    // Taken down, its balancer and addresses go with it.
    expect(
      (await run((await gyrarch.changes.draft('cluster.takedown', { cluster: 'fernlet' })).id))
        .state,
    ).toBe('done')
    const north = (await gyrarch.fleet.view()).sites.find(
      (otherSite) => otherSite.name === 'tarn-north',
    )
    expect([
      north?.balancers,
      north?.addresses.filter((address) => address.cluster === 'fernlet'),
    ]).toEqual([[], []])
  })

  it('whose boot data is too large publishes it first, and takes it off the boot server when it is taken down', async () => {
    for (const active of (await gyrarch.outside.faults()).active) await gyrarch.endFault(active.id)
    const authorities = Array.from({ length: 12 }, (_, i) => ({
      name: `ca-${i}`,
      pem: `-----BEGIN CERTIFICATE-----\n${'QUJD'.repeat(700)}\n-----END CERTIFICATE-----\n`,
    }))
    const done = await run(
      (await gyrarch.changes.draft('cluster.raise', { ...fernlet, services: { authorities } })).id,
    )
    expect([done.state, done.cause?.says ?? null]).toEqual(['done', null])
    expect(
      done.steps
        .find((step) => step.id === 'boot:fernlet-general-1')
        ?.evidence.map((item) => item.says)
        .join(),
    ).toContain('its SHA-256 verified')
    const published = async () =>
      (await gyrarch.fleet.view()).sites.find((site) => site.name === 'tarn-north')?.published
        .length
    expect(await published()).toBe(2)
    await run((await gyrarch.changes.draft('cluster.takedown', { cluster: 'fernlet' })).id)
    expect(await published()).toBe(0)
  })
})

describe('a cluster that stands', () => {
  it('has a pool grown and shrunk again, with everything of the nodes gone afterwards', async () => {
    const before = await gyrarch.fleet.view()
    const grown = await run(
      (await gyrarch.changes.draft('pool.resize', { cluster: 'dill', pool: 'general', count: 4 }))
        .id,
    )
    expect(grown.state).toBe('done')
    expect(grown.plan?.spend.after).toBeGreaterThan(grown.plan?.spend.before ?? Infinity)
    const shrunk = await run(
      (await gyrarch.changes.draft('pool.resize', { cluster: 'dill', pool: 'general', count: 2 }))
        .id,
    )
    expect(shrunk.state).toBe('done')
    const [was, is] = [before, await gyrarch.fleet.view()].map((view) =>
      view.sites.find((site) => site.name === 'tarn-north'),
    )
    expect(is?.machines.map((machine) => machine.name).sort()).toEqual(
      was?.machines.map((machine) => machine.name).sort(),
    )
    expect(is?.disks.length).toBe(was?.disks.length)
    expect(is?.addresses.length).toBe(was?.addresses.length)
  })

  it('refuses a pool that its site cannot hold, and names what would help', async () => {
    const draft = await gyrarch.changes.draft('pool.resize', {
      cluster: 'dill',
      pool: 'general',
      count: 9,
    })
    const quota = draft.findings.find((finding) => finding.rule === 'quota.cores')
    expect(quota).toMatchObject({ level: 'stop', field: 'count' })
    expect(quota?.remedies.map((remedy) => remedy.says)).toContain('Ask tarn-north for 40 vCPU')
  })

  it('has a node’s machine replaced, under a new instance', async () => {
    const replaced = await run(
      (await gyrarch.changes.draft('machine.replace', { cluster: 'alder', node: 'alder-core-2' }))
        .id,
    )
    expect(replaced).toMatchObject({ state: 'done', proof: [{ holds: true }] })
    expect(replaced.steps.map((step) => step.verb)).toEqual([
      'node.drain',
      'node.remove',
      'machine.delete',
      'machine.create',
      'machine.boot',
      'node.join',
    ])
  })

  it('restarts a node that has lost its power, and replaces its machine when that does not help', async () => {
    await setHealth(gyrarch, 'cedar', { ...usualHealth, replaceGuarded: true })
    await fault('machine-off', 'machine/mossgate/cedar-general-5')
    for (let minutes = 0; minutes < 45; minutes++) await gyrarch.outside.advance(60)
    const runs = (await gyrarch.changes.list())
      .filter((row) => row.title === 'health keeping')
      .map((row) => [row.kind, row.state])
    expect(runs).toEqual([
      ['machine.replace', 'done'],
      ['machine.restart', 'given-up'],
    ])
    const node = (await gyrarch.fleet.view()).clusters
      .find((cluster) => cluster.name === 'cedar')
      ?.pools.flatMap((pool) => pool.nodes)
      .find((node) => node.name === 'cedar-general-5')
    expect(node?.conditions.find((condition) => condition.type === 'Ready')?.status).toBe('True')
    const said = (await gyrarch.journal({ kind: 'health.acts', limit: 10 })).map(
      (line) => line.says,
    )
    expect(said).toEqual(
      expect.arrayContaining([
        expect.stringMatching(/cedar-general-5 has not been ready for 5 min.*it is restarted/),
        expect.stringMatching(/its restart did not help; its machine is replaced/),
      ]),
    )
  })

  it('is backed up, the copy proven beside, and restored', async () => {
    expect(
      await run(
        (
          await gyrarch.changes.draft('cluster.backup', {
            cluster: 'cedar',
            backup: 'before-spring',
          })
        ).id,
      ),
    ).toMatchObject({
      state: 'done',
      proof: [{ holds: true }, { holds: true, observed: expect.stringMatching(/^12 of 12 nodes/) }],
    })
    expect(
      (
        await run(
          (
            await gyrarch.changes.draft('cluster.restore', {
              cluster: 'cedar',
              backup: 'before-spring',
            })
          ).id,
        )
      ).state,
    ).toBe('done')
    const draft = await gyrarch.changes.draft('cluster.restore', {
      cluster: 'cedar',
      backup: 'never-taken',
    })
    expect(draft.findings[0]).toMatchObject({
      rule: 'backup.known',
      remedies: [{ says: 'Use before-spring' }],
    })
  })

  it('keeps its machines when a host dies: they come back where the packing said they would', async () => {
    const { hostLoss } = await import('~/core/sizing')
    const site = (await gyrarch.fleet.view()).sites.find((site) => site.name === 'mossgate')
    if (!site) throw new Error('the scenario lacks mossgate')
    const host = site.machines.find((machine) => machine.name === 'cedar-general-1')?.host ?? ''
    const predicted = hostLoss(site.hosts, site.machines, host, site.overcommit)
    expect(predicted?.moves.length).toBeGreaterThan(1)
    expect(predicted?.homeless).toEqual([])
    await fault('host-dies', `host/mossgate/${host}`)
    for (let minutes = 0; minutes < 12; minutes++) await gyrarch.outside.advance(60)
    const after = await gyrarch.fleet.view()
    const machines = after.sites.find((otherSite) => otherSite.name === 'mossgate')?.machines ?? []
    expect(
      predicted?.moves.map(({ machine }) => [
        machine,
        machines.find((otherMachine) => otherMachine.name === machine)?.host,
      ]),
    ).toEqual(predicted?.moves.map(({ machine, to }) => [machine, to]))
    expect(
      after.clusters
        .filter((cluster) => cluster.site === 'mossgate')
        .flatMap((cluster) =>
          cluster.pools.flatMap((pool) =>
            pool.nodes
              .filter((node) =>
                node.conditions.some(
                  (condition) => condition.type === 'Ready' && condition.status !== 'True',
                ),
              )
              .map((node) => node.name),
          ),
        ),
    ).toEqual([])
    // The hall did it by itself: health keeping had nothing to do.
    expect((await gyrarch.changes.list()).filter((row) => row.title === 'health keeping')).toEqual(
      [],
    )
  })
})
