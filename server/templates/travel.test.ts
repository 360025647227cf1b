/** What is expected of a cluster travels with a template, and proves whatever is raised from it. */
import { expect, it } from 'vitest'
import { fernlet } from '~/core/testing/drafts'
import type { Gyrarch } from '../gyrarch'
import { draftAndRun, gyrarchForEach, runOut } from '../testing/open'

let gyrarch: Gyrarch
gyrarchForEach((opened) => ({ gyrarch } = opened))

const walks = [
  {
    name: 'names are answered',
    from: { pod: 'platform/ingress' },
    to: { service: 'platform/dns' },
    port: 53,
    protocol: 'TCP',
    delivered: true,
  },
  {
    name: 'the sensors stay inside',
    from: { pod: 'platform/ingress' },
    to: { service: 'platform/dns' },
    port: 5432,
    protocol: 'TCP',
    delivered: false,
  },
]

async function run(id: string) {
  const { findings } = await gyrarch.changes.get(id)
  expect(findings.filter(({ level }) => level === 'stop')).toEqual([])
  await gyrarch.changes.run(id, { accept: findings.map(({ key }) => key) })
  return runOut(gyrarch, id)
}

const raise = (more: object) => draftAndRun(gyrarch, 'cluster.raise', { ...fernlet, ...more })

it('a template kept of a raised cluster carries its walks, and the next is proven by them', async () => {
  const first = await raise({})
  expect(first.state).toBe('done')
  for (const { from, to, ...walk } of walks)
    await gyrarch.expectations.keep({
      ...walk,
      from: { ...from, cluster: 'fernlet' },
      to: { ...to, cluster: 'fernlet' },
    })
  const template = await gyrarch.templates.keep({
    name: 'small-cloud',
    says: '',
    kind: 'cluster.raise',
    intent: first.intent,
    open: ['/name', '/ranges/pods', '/ranges/services'],
  })
  expect((template.intent as { expects: unknown }).expects).toEqual(
    [...walks].sort((a, b) => (a.name < b.name ? -1 : 1)),
  )
  const { id } = await gyrarch.templates.draft('small-cloud', { '/name': 'fernlet-2' })
  const second = await run(id)
  expect([second.state, second.cause?.says]).toEqual(['done', undefined])
  expect(second.proof?.filter(({ says }) => says.includes('(fernlet-2)'))).toEqual(
    [
      {
        says: 'names are answered (fernlet-2): reached',
        holds: true,
        observed: expect.stringContaining('') as string,
      },
      {
        says: 'the sensors stay inside (fernlet-2): not reached',
        holds: true,
        observed: expect.stringContaining('') as string,
      },
    ].sort((a, b) => (a.says < b.says ? -1 : 1)),
  )
  const kept = (await gyrarch.fleet.view()).expectations?.map(({ name }) => name)
  expect(kept).toContain('names are answered (fernlet-2)')
  await gyrarch.changes.takeBack(id)
  await runOut(gyrarch, id)
  expect((await gyrarch.fleet.view()).expectations?.map(({ name }) => name)).not.toContain(
    'names are answered (fernlet-2)',
  )
})

it('a cluster that does not do what its walks expect is not proven', async () => {
  const [names] = walks
  const halted = await raise({ expects: [{ ...names, delivered: false }] })
  expect(halted.state).toBe('halted')
  expect(halted.proof?.filter(({ holds }) => !holds).map(({ says }) => says)).toEqual([
    'names are answered (fernlet): not reached',
  ])
})
