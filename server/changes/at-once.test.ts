/** Changes asked for at the same moment: none of them halts for what another took, and a draft is run or gone, never both. */
import { describe, expect, it } from 'vitest'
import { Refusal } from './errors'
import { birch, fernlet, gyrarchForEach, type Opened, runOut } from '../testing/open'

let opened: Opened
gyrarchForEach((given) => (opened = given))

/** Clusters of a hall and of a cloud, each with ranges of its own. */
const asked = (nth: number, seed = 7) => ({
  ...(nth % 2 === 0 ? birch : fernlet),
  name: `sedge-${nth}`,
  ranges: {
    pods: `10.${150 + nth * 2}.0.0/18`,
    services: `10.${151 + nth * 2}.0.0/20`,
    maxPodsPerNode: 110,
  },
  pools: [
    {
      name: 'general',
      size: ['rack-4', 'reed-2-8', 'rack-8', 'reed-2-8'][nth % 4],
      count: 1 + ((nth * seed) % 5),
    },
  ],
})

describe('twelve clusters started at once', () => {
  it.each([7, 11, 13, 3])(
    'take host room, quota, addresses and names one after another: who does not fit is refused before it runs (%i)',
    async (seed) => {
      const { gyrarch } = opened
      const drafts = []
      for (let nth = 0; nth < 12; nth++)
        drafts.push(await gyrarch.changes.draft('cluster.raise', asked(nth, seed)))
      const answers = await Promise.all(
        drafts.map(({ id, findings }) =>
          gyrarch.changes
            .run(id, { accept: findings.map(({ key }) => key) })
            .catch((error: unknown) => error),
        ),
      )
      for (const answer of answers)
        if (answer instanceof Error) expect(answer).toBeInstanceOf(Refusal)
      const ends = await Promise.all(drafts.map(({ id }) => runOut(gyrarch, id, 6)))
      const states = ends.map(({ state }) => state)
      expect(states.filter((state) => state === 'done').length).toBeGreaterThan(2)
      expect(
        ends.filter(({ state }) => state !== 'done' && state !== 'draft').map(({ cause }) => cause),
      ).toEqual([])
    },
  )
})

describe('a draft', () => {
  it('that is run and discarded at once is one of both', async () => {
    const { gyrarch } = opened
    for (let round = 0; round < 4; round++) {
      const { id, findings } = await gyrarch.changes.draft('cluster.raise', asked(round))
      const accept = findings.map(({ key }) => key)
      const both = await Promise.allSettled(
        round % 2 === 0
          ? [gyrarch.changes.run(id, { accept }), gyrarch.changes.discard(id)]
          : [gyrarch.changes.discard(id), gyrarch.changes.run(id, { accept })],
      )
      const refused = both.filter((answer) => answer.status === 'rejected')
      expect(refused.map(({ reason }) => reason instanceof Refusal)).toEqual([true])
      const isGone = await gyrarch.changes.wasDiscarded(id)
      expect(isGone).toBe(round % 2 === 1)
    }
  })

  it('that is amended while it starts runs as it was read, or not at all', async () => {
    const { gyrarch } = opened
    const { id, findings, planDigest } = await gyrarch.changes.draft('cluster.raise', asked(0))
    const [run, amended] = await Promise.allSettled([
      gyrarch.changes.run(id, {
        accept: findings.map(({ key }) => key),
        planDigest: planDigest ?? '',
      }),
      gyrarch.changes.amend(id, { ...asked(0), name: 'reedling' }, null),
    ])
    expect([run.status, amended.status]).toEqual(['fulfilled', 'rejected'])
    const record = await gyrarch.changes.get(id)
    expect(record.label).toBe('raise sedge-0')
    expect(record.intent).toMatchObject({ name: 'sedge-0' })
  })
})
