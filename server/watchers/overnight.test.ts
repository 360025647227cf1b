import { describe, expect, it } from 'vitest'
import { gyrarchForAll, runOut, type Opened } from '../testing/open'
import { ofKind } from '~/core/objects'

let opened: Opened
gyrarchForAll((made) => (opened = made))

const forecasts = async () =>
  ofKind(
    (await opened.gyrarch.observe.objects('bramble', { kind: 'Pod', namespace: 'vision' })) ?? [],
    'Pod',
  ).filter((pod) => pod.metadata.name.startsWith('overnight-forecast'))
const spot = async () =>
  (await opened.gyrarch.fleet.view()).clusters
    .find((cluster) => cluster.name === 'bramble')
    ?.pools.find((pool) => pool.name === 'overnight-spot')
const to = async (iso: string) =>
  opened.gyrarch.outside.advance((Date.parse(iso) - opened.gyrarch.outside.now) / 1000)

describe('a CronJob on spot machines', () => {
  it('is made at its local hour, gets a machine, loses it to its cloud, and is done on another', async () => {
    const { gyrarch } = opened
    const drafted = await gyrarch.changes.draft('cluster.autoscale', {
      cluster: 'bramble',
      enabled: true,
    })
    await gyrarch.changes.run(drafted.id, {
      accept: drafted.findings.map((finding) => finding.key),
      confirm: 'bramble',
    })
    expect((await runOut(gyrarch, drafted.id)).state).toBe('done')
    // 01:00 in Berlin, in winter.
    await to('2026-03-02T23:59:30Z')
    expect(await forecasts()).toEqual([])
    expect((await spot())?.nodes).toEqual([])
    await to('2026-03-03T00:00:30Z')
    const [first] = await forecasts()
    expect(first?.spec?.nodeName).toBeUndefined()
    for (
      let minutes = 0;
      minutes < 20 && (await forecasts())[0]?.status?.phase !== 'Running';
      minutes++
    )
      await gyrarch.outside.advance(30)
    const ran = (await forecasts())[0]
    expect(ran?.status?.phase).toBe('Running')
    const node = (await spot())?.nodes.find((node) => node.name === ran?.spec?.nodeName)
    expect(node).toBeDefined()
    await gyrarch.putFault({
      fault: 'spot-taken',
      about: `machine/palisade-east/${node?.machine ?? ''}`,
      mode: 'permanent',
      times: 1,
      afterSeconds: 0,
    })
    await gyrarch.outside.advance(150)
    expect(
      (await spot())?.nodes.some(
        (candidate) => candidate.name === node?.name && candidate.createdAt === node.createdAt,
      ),
    ).toBe(false)
    await to('2026-03-03T00:45:00Z')
    const ended = await forecasts()
    expect(ended.filter((pod) => pod.status?.phase === 'Succeeded').length).toBeGreaterThan(0)
    expect(ended.some((pod) => pod.metadata.name !== ran?.metadata.name)).toBe(true)
  })
})
