import { describe, expect, it, onTestFinished, vi } from 'vitest'
import { patchDraft } from '~/core/changes'
import type { Gyrarch } from '../gyrarch'
import { gyrarchForEach, oak, runOut } from '../testing/open'
import { JoinRow } from '../records/models'

let gyrarch: Gyrarch
gyrarchForEach((opened) => {
  gyrarch = opened.gyrarch
})

const base = 'http://127.0.0.1:4600'

async function begin(intent: unknown = oak): Promise<string> {
  const draft = await gyrarch.changes.draft('cluster.raise', intent)
  expect(draft.findings.filter((finding) => finding.level === 'stop')).toEqual([])
  await gyrarch.changes.run(draft.id, { accept: draft.findings.map((finding) => finding.key) })
  await gyrarch.outside.advance(60)
  return draft.id
}

describe('a cluster raised from machines that exist', () => {
  it('waits for their calls, catches the one with the wrong card, and is raised', async () => {
    const id = await begin()
    expect((await gyrarch.joins.of(id, base)).missing).toBe(
      '2 more control-plane machines of 3 must call before there is a majority.',
    )
    await gyrarch.joins.runOnStandIn(id, 'm-spare-1')
    await gyrarch.joins.runOnStandIn(id, 'm-spare-3')
    await expect(gyrarch.joins.runOnStandIn(id, 'm-spare-2')).rejects.toThrow(
      /eno2 has 192\.168\.0\.10, which m-spare-1 and m-spare-3 have too, not 10\.20\.16\.22\. 10\.20\.16\.22 is on eno1: use eno1\./,
    )
    const states = (await gyrarch.joins.of(id, base)).machines.map((machine) => [
      machine.machine,
      machine.state,
    ])
    expect(states).toEqual([
      ['m-spare-1', 'taken'],
      ['m-spare-2', 'refused'],
      ['m-spare-3', 'taken'],
    ])
    const halted = await runOut(gyrarch, id)
    expect(halted).toMatchObject({ state: 'halted', cause: { reason: 'join-card' } })
    const remedy = halted.remedies.find((remedy) => remedy.says === 'Use eno1 for m-spare-2')
    if (!remedy || !('patchDraft' in remedy.change))
      throw new Error(
        `no remedy among ${halted.remedies.map((otherRemedy) => otherRemedy.says).join()}`,
      )
    expect(remedy.goesOn).toBe(true)
    await gyrarch.changes.amend(id, patchDraft(halted.intent, remedy.change.patchDraft), null)
    await gyrarch.changes.retry(id)
    await gyrarch.joins.runOnStandIn(id, 'm-spare-2')
    const done = await runOut(gyrarch, id)
    expect(
      done.steps.filter((step) => step.state === 'failed').map((step) => step.cause?.says),
    ).toEqual([])
    expect(done.state).toBe('done')
    expect(done.proof?.filter((proof) => !proof.holds)).toEqual([])
    const nodes = (await gyrarch.fleet.view()).clusters
      .find((cluster) => cluster.name === 'oak')
      ?.pools.flatMap((pool) => pool.nodes.map((node) => `${node.name} ${node.address}`))
    expect(nodes?.sort()).toEqual(['oak-a 10.20.16.21', 'oak-b 10.20.16.22', 'oak-c 10.20.16.23'])
  })

  it('takes a token once, for half an hour of real time, and a new script in its place', async () => {
    const id = await begin()
    const script = (await gyrarch.joins.of(id, base)).machines[0]?.script ?? ''
    const token = /join\/([0-9a-f]{6}\.[0-9a-f]{16})/.exec(script)?.[1] ?? ''
    // However fast the stand-ins’ clock runs, whoever has the script has half an hour.
    await gyrarch.outside.advance(3 * 3600)
    expect((await gyrarch.joins.of(id, base)).machines[0]).toMatchObject({
      state: 'waited for',
      minutesLeft: 30,
    })
    const facts = await gyrarch.observe.boxFacts('mossgate', 'm-spare-1')
    if (!facts) throw new Error('m-spare-1 tells nothing')
    vi.useFakeTimers({ toFake: ['Date'], now: Date.now() + 31 * 60_000 })
    onTestFinished(() => void vi.useRealTimers())
    await expect(gyrarch.joins.call(token, facts)).rejects.toThrow(/token ended/)
    await gyrarch.joins.renew(id, 'm-spare-1')
    await expect(gyrarch.joins.call(token, facts)).rejects.toThrow(/not known/)
    const fresh =
      /join\/([0-9a-f.]+)/.exec(
        (await gyrarch.joins.of(id, base)).machines[0]?.script ?? '',
      )?.[1] ?? ''
    const now = await gyrarch.observe.boxFacts('mossgate', 'm-spare-1')
    await gyrarch.joins.call(fresh, now ?? facts)
    await expect(gyrarch.joins.call(fresh, now ?? facts)).rejects.toThrow(/for one use/)
    expect(JSON.stringify((await JoinRow.findAll()).map((row) => row.get()))).not.toContain(fresh)
  })

  it('calls where the site says that Gyrarch is, never the machine itself', async () => {
    const id = await begin()
    const scriptAt = async (at: string) =>
      (await gyrarch.joins.of(id, at)).machines[0] ?? { script: null, says: null }
    expect((await scriptAt(base)).script).toContain("url='http://10.20.0.254:4600/api/v1/join/")
    const draft = await gyrarch.changes.draft('site.contact', { site: 'mossgate', address: null })
    await gyrarch.changes.run(draft.id, { accept: [] })
    expect((await runOut(gyrarch, draft.id)).state).toBe('done')
    expect(await scriptAt(base)).toMatchObject({
      script: null,
      says: expect.stringContaining('Nobody has said where machines at mossgate reach Gyrarch'),
    })
    expect((await scriptAt('http://10.88.1.2:4600')).script).toContain('http://10.88.1.2:4600/')
  })

  it('tells a machine what to put right there, and takes it when it calls again', async () => {
    const id = await begin()
    const script = (await gyrarch.joins.of(id, base)).machines[0]?.script ?? ''
    const token = /join\/([0-9a-f.]+)/.exec(script)?.[1] ?? ''
    const facts = await gyrarch.observe.boxFacts('mossgate', 'm-spare-1')
    if (!facts) throw new Error('m-spare-1 tells nothing')
    const late = new Date(gyrarch.outside.now - 900_000).toISOString()
    await expect(
      gyrarch.joins.call(token, { ...facts, clock: late, runtime: false }),
    ).rejects.toThrow(/15 min behind.*no container runtime/s)
    expect((await gyrarch.changes.get(id)).state).toBe('running')
    expect(
      (await gyrarch.changes.get(id)).steps
        .find((step) => step.id === 'call:m-spare-1')
        ?.evidence.at(-1)?.says,
    ).toMatch(/not taken: The clock of m-spare-1/)
    await expect(gyrarch.joins.call(token, facts)).resolves.toEqual({
      says: 'm-spare-1 is taken into oak as oak-a.',
    })
  })

  it('is stopped in the draft when it names the card that every machine has the same address on', async () => {
    const wrong = {
      ...oak,
      machines: oak.machines.map((machine, i) =>
        i === 0 ? { ...machine, card: 'eno1' } : machine,
      ),
    }
    const draft = await gyrarch.changes.draft('cluster.raise', wrong)
    const stop = draft.findings.find((finding) => finding.rule === 'card.shared')
    expect(stop).toMatchObject({
      level: 'stop',
      field: 'machines[0].card',
      remedies: [{ says: 'Use eno2' }],
    })
  })
})
