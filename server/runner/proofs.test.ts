import { expect, it } from 'vitest'
import { Fleet } from '../fleet/fleet'
import { ChangeRow } from '../records/models'
import { elm, gyrarchForAll, type Opened } from '../testing/open'
import { proofsOf } from './proofs'

let opened: Opened
gyrarchForAll((made) => {
  opened = made
})

it('tells an error of its own and leaves the run not done', async () => {
  const { gyrarch } = opened
  const { id } = await gyrarch.changes.draft('cluster.raise', elm)
  const row = await ChangeRow.findByPk(Number(id.replace('c-', '')))
  if (!row) throw new Error('the draft is not there')
  row.intent = { nothing: 'that a raise reads' }
  const errors: unknown[] = []
  const proven = await proofsOf(
    {
      fleet: new Fleet(gyrarch.observe, gyrarch.outside.clock),
      judges: gyrarch.judges,
      onError: (error) => void errors.push(error),
    },
    { row, steps: new Map() },
  )
  expect(proven).toMatchObject({ proof: [], objection: { code: 'proofs.failed' } })
  expect(String(errors[0])).toContain('does not read')
})
