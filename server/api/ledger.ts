/** The address ledger. */
import { z } from 'zod'
import { writeCsv } from '~/core/units'
import { addressBook, bookKinds } from '~/core/fleet'
import { ok, okText } from './answers'
import { draftShape } from './shapes'
import type { Route } from './route'

const ledgerLine = z.object({ domain: z.string(), range: z.string(), name: z.string() })

export const ledgerRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/ledger',
    says: 'The address ledger: every range of every routing domain.',
    past: true,
    answer: z.object({
      entries: z.array(
        ledgerLine.extend({ kind: z.enum(bookKinds), about: z.string().nullable() }),
      ),
    }),
    handle: async (_gyrarch, { fleet }) => ok({ entries: addressBook(await fleet.view()) }),
  },
  {
    method: 'get',
    path: '/ledger.csv',
    says: 'The address ledger as CSV.',
    past: true,
    texts: ['text/csv'],
    handle: async (_gyrarch, { fleet }) => ({
      text: {
        type: 'text/csv',
        body: writeCsv(
          ['domain', 'range', 'name', 'kind', 'holder'],
          addressBook(await fleet.view()).map(({ domain, range, name, kind, about }) => [
            domain,
            range,
            name,
            kind,
            about ?? '',
          ]),
        ),
        fileName: 'addresses.csv',
      },
    }),
  },
  {
    method: 'post',
    path: '/ledger/csv',
    says: 'Read ranges from CSV (domain, range, name): the good lines, and the bad ones by number.',
    body: z.strictObject({ text: z.string().max(8000000) }),
    answer: z.object({
      good: z.array(ledgerLine),
      bad: z.array(z.object({ line: z.number(), says: z.string() })),
      known: z.number(),
      change: draftShape.nullable(),
    }),
    handle: async (gyrarch, { body }) => {
      const { text } = body as { text: string }
      return okText(await gyrarch.judges.ledger(text, await gyrarch.fleet.view()))
    },
  },
]
