import { expect, it } from 'vitest'
import { draftAndRun, gyrarchForEach, type Opened, runOut } from '../testing/open'

let opened: Opened
gyrarchForEach((made) => (opened = made))

const told = async (name: string) => {
  const view = await opened.gyrarch.fleet.view()
  const cluster = view.clusters.find((each) => each.name === name)
  return { labels: cluster?.labels, guarded: cluster?.guarded }
}

it('labels a cluster that stands, guards it, and takes both back', async () => {
  const { gyrarch } = opened
  const before = await told('dill')
  expect(before.guarded).toBe(false)
  const run = await draftAndRun(gyrarch, 'cluster.label', {
    cluster: 'dill',
    labels: { team: 'orchids', night: '' },
    guarded: true,
  })
  expect(run.state).toBe('done')
  expect(run.proof?.every(({ holds }) => holds)).toBe(true)
  expect(await told('dill')).toEqual({ labels: { team: 'orchids', night: '' }, guarded: true })
  // From now on its name is asked for.
  const drain = await gyrarch.changes.draft('cluster.autoscale', { cluster: 'dill' })
  expect(drain.guardedBy).toBe('dill')
  await gyrarch.changes.takeBack(run.id, 'dill')
  expect((await runOut(gyrarch, run.id)).state).toBe('taken-back')
  expect(await told('dill')).toEqual(before)
})
