/** The address ledger. */
import { z } from 'zod'
import { writeCsv } from '~/core/units'
import { addressBook } from '~/core/fleet'
import { readLedgerCsv } from '~/core/ground'
import { any, ok } from './answers'
import type { Route } from './route'

export const ledgerRoutes: readonly Route[] = [
  {
    method: 'get',
    path: '/ledger',
    says: 'The address ledger: every range of every routing domain.',
    answer: z.object({ entries: z.array(any) }),
    handle: async (gyrarch) => ok({ entries: addressBook(await gyrarch.fleet.view()) }),
  },
  {
    method: 'get',
    path: '/ledger.csv',
    says: 'The address ledger as CSV.',
    answer: 'text',
    handle: async (gyrarch) => ({
      text: {
        type: 'text/csv',
        body: writeCsv(
          ['domain', 'range', 'name', 'kind', 'holder'],
          addressBook(await gyrarch.fleet.view()).map(({ domain, range, name, kind, about }) => [
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
    answer: z.object({ good: z.array(any), bad: z.array(any), known: z.number(), change: any }),
    handle: async (gyrarch, { body }) => {
      const read = readLedgerCsv((body as { text: string }).text, await gyrarch.fleet.view())
      return ok({
        good: read.good,
        bad: read.bad,
        known: read.alreadyKnown,
        change:
          read.good.length > 0
            ? { kind: 'ledger.enter', intent: { add: read.good, remove: [] } }
            : null,
      })
    },
  },
]
