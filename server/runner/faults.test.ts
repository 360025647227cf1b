import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import type { Gyrarch } from '../gyrarch'
import type { ChangeRecord } from '../changes/changes'
import { birch, fernlet, openForTest, runOut, type Opened } from '../testing/open'

let opened: Opened
let gyrarch: Gyrarch
beforeEach(async () => {
  opened = await openForTest()
  gyrarch = opened.gyrarch
})
afterEach(() => opened.close())

const run = async (id: string): Promise<ChangeRecord> => {
  const draft = await gyrarch.changes.get(id)
  expect(draft.findings.filter((finding) => finding.level === 'stop')).toEqual([])
  await gyrarch.changes.run(id, { accept: draft.findings.map((finding) => finding.key), confirm: draft.guardedBy ?? undefined })
  return runOut(gyrarch, id)
}

const start = async (intent: unknown, kind = 'cluster.raise'): Promise<string> => {
  const draft = await gyrarch.changes.draft(kind, intent)
  expect(draft.findings.filter((finding) => finding.level === 'stop')).toEqual([])
  await gyrarch.changes.run(draft.id, { accept: draft.findings.map((finding) => finding.key), confirm: draft.guardedBy ?? undefined })
  return draft.id
}

/** Does what the first remedy that fits says: in the run itself, or by another change first. */
async function takeRemedy(id: string, wanted: RegExp): Promise<ChangeRecord> {
  const halted = await gyrarch.changes.get(id)
  expect(halted.state).toBe('halted')
  const remedy = halted.remedies.find((other) => wanted.test(other.says))
  expect(halted.remedies.map((other) => other.says), halted.cause?.says).toEqual(expect.arrayContaining([expect.stringMatching(wanted)]))
  if (!remedy) return halted
  if ('patchDraft' in remedy.change) {
    const { patchDraft } = await import('~/core/changes')
    expect(remedy.goesOn).toBe(true)
    await gyrarch.changes.amend(id, patchDraft(halted.intent, remedy.change.patchDraft), null)
  } else {
    const other = await gyrarch.changes.draft(remedy.change.kind, remedy.change.intent)
    expect((await run(other.id)).state).toBe('done')
  }
  await gyrarch.changes.retry(id)
  return runOut(gyrarch, id)
}

const fault = (kind: string, about: string, times?: number): Promise<string> => gyrarch.putFault({ fault: kind, about, mode: times === undefined ? 'permanent' : 'transient', times: times ?? 1, afterSeconds: 0 })

const raiseAt = { hall: birch, cloud: fernlet }

/** Fault, what it is about, where the run stands when it is put in (seconds), what the cause says, which remedy is taken. */
const cases: readonly { readonly fault: string; readonly about: string; readonly at?: keyof typeof raiseAt; readonly after?: number; readonly times?: number; readonly cause: RegExp; readonly lowest: string; readonly remedy: RegExp; readonly change?: Record<string, unknown> }[] = [
  { fault: 'image-missing', about: 'image/mossgate/1.33.2', cause: /no base image of 1\.33\.2/, lowest: 'image/mossgate/1.33.2', remedy: /Put the image of 1\.33\.2 in place/ },
  { fault: 'size-withdrawn', about: 'size/tarn-north/north-2/reed-2-8', at: 'cloud', cause: /does not offer reed-2-8 in north-2/, lowest: 'size/tarn-north/north-2/reed-2-8', remedy: /Put general in north-1/ },
  { fault: 'no-stock', about: 'size/tarn-north/north-2/reed-2-8', at: 'cloud', cause: /has no reed-2-8 left/, lowest: 'size/tarn-north/north-2/reed-2-8', remedy: /Put general in north-1/ },
  { fault: 'quota-lowered', about: 'site/tarn-north', at: 'cloud', cause: /quota of tarn-north/, lowest: 'quota/tarn-north/cores', remedy: /Ask tarn-north for/ },
  { fault: 'hosts-out', about: 'zone/mossgate/mossgate-b', cause: /every host of mossgate-b is out of service/, lowest: 'zone/mossgate/mossgate-b', remedy: /Put .* back in service/ },
  { fault: 'store-full', about: 'zone/mossgate/mossgate-b', cause: /disk store of mossgate-b/, lowest: 'store/mossgate/mossgate-b', remedy: /Remove leftover-mossgate-b/ },
  { fault: 'pool-empty', about: 'network/mossgate/mossgate nodes', cause: /got no address/, lowest: 'network/mossgate/mossgate nodes', remedy: /Give back \d+ leases/ },
  { fault: 'dhcp-silent', about: 'network/mossgate/mossgate nodes', cause: /DHCP server of mossgate nodes does not answer/, lowest: 'network/mossgate/mossgate nodes', remedy: /Restart the DHCP server/ },
  { fault: 'name-server-wrong', about: 'network/mossgate/mossgate nodes', cause: /cannot resolve names: no answer from 10\.20\.19\.254/, lowest: 'network/mossgate/mossgate nodes', remedy: /hand out 10\.20\.0\.2/ },
  { fault: 'time-silent', about: 'site/mossgate', cause: /certificate is not valid yet/, lowest: 'time-server/mossgate/time-1.mossgate.fernhollow.example', remedy: /Restart the time servers/ },
  { fault: 'boot-data-cut', about: 'site/mossgate', cause: /could not read its user-data: it ends in the middle of line \d+/, lowest: 'boot-data/mossgate/birch-cp-1', remedy: /Publish the boot data/ },
  { fault: 'runtime-fails', about: 'site/mossgate', times: 1, cause: /container runtime of birch-cp-1 does not start/, lowest: 'runtime/mossgate/birch-cp-1', remedy: /Make birch-cp-1 anew/, change: { mode: 'permanent' } },
  { fault: 'agent-silent', about: 'machine/mossgate/birch-general-1', cause: /node agent of birch-general-1 has not registered/, lowest: 'agent/mossgate/birch-general-1', remedy: /Make birch-general-1 anew/ },
  { fault: 'machine-dies', about: 'machine/mossgate/birch-general-2', cause: /birch-general-2 died/, lowest: 'disk/mossgate/birch-general-2-root', remedy: /Make birch-general-2 anew/ },
]

describe('a failure of the outside', () => {
  it.each(cases)('$fault is told by its lowest cause, and its remedy clears it', async (one) => {
    const scenario = await gyrarch.outside.faults()
    for (const active of scenario.active) await gyrarch.endFault(active.id)
    const about = one.fault === 'runtime-fails' ? 'machine/mossgate/birch-cp-1' : one.about
    const id = await start(raiseAt[one.at ?? 'hall'])
    await fault(one.fault, about)
    const halted = await runOut(gyrarch, id)
    expect(halted.state).toBe('halted')
    const failed = halted.steps.find((step) => step.state === 'failed')
    expect(failed?.cause?.says).toMatch(one.cause)
    expect(failed?.cause?.chain[0]?.about).toBe(one.lowest)
    // The chain ends at the change: the lowest failing thing’s message reaches the top with the path it took.
    expect(failed?.cause?.chain.at(-1)?.about).toBe(`change/${id}`)
    const done = await takeRemedy(id, one.remedy)
    expect(done.steps.filter((step) => step.state === 'failed').map((step) => step.cause?.says)).toEqual([])
    expect(done.state).toBe('done')
    expect(done.proof?.every((proof) => proof.holds)).toBe(true)
  })
})
