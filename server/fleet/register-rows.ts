/** What only Gyrarch keeps, from its records to the view of the fleet. */
import type { FleetView } from '~/core/fleet'
import type { CredentialRow, ReservationRow } from '../records/models'

export const credentialOf = (row: CredentialRow): FleetView['credentials'][number] => ({
  site: row.site,
  name: row.name,
  fingerprint: row.fingerprint,
  until: row.until,
  checked:
    row.checkedAt === null
      ? null
      : { at: row.checkedAt, says: row.checkedSays ?? '', good: row.checkedGood === true },
})

export const reservationOf = (row: ReservationRow): FleetView['reservations'][number] => ({
  change: String(row.change),
  kind: row.kind,
  site: row.site,
  what: row.what,
  ...(row.domain === null ? {} : { domain: row.domain }),
  ...(row.zone === null ? {} : { zone: row.zone }),
  ...(row.cores === null ? {} : { cores: row.cores }),
  ...(row.memoryBytes === null ? {} : { memoryBytes: Number(row.memoryBytes) }),
})
