/** Zones written as files that name servers load. Source: RFC 1035, section 5; RFC 1912. */
import type { RecordView } from '../fleet'
import { asciiValue } from './zone-text'

/** Who answers for a zone that does not say so itself, and the serial it is written under. */
export interface ZoneAuthority {
  /** Addresses of name servers. */
  readonly nameServers: readonly string[]
  readonly serial: number
}

/** Refresh, retry and expiry of secondaries, and how long a name that is not there is remembered; seconds. */
const usualTimes = '7200 900 1209600 300'
const usualTtl = 3600

/** The records that every zone has, where a zone lacks them: its start, its name servers, and their addresses. */
function withAuthority(
  records: readonly RecordView[],
  domain: string,
  { nameServers, serial }: ZoneAuthority,
): readonly RecordView[] {
  const made: RecordView[] = []
  let servers = records
    .filter((record) => record.name === '@' && record.type === 'NS')
    .map((record) => record.value)
  if (servers.length === 0) {
    servers = nameServers.map((address, i) => {
      const holder = records.find(
        (record) =>
          (record.type === 'A' || record.type === 'AAAA') &&
          record.value === address &&
          record.name !== '@',
      )
      let name = holder?.name ?? `ns${i + 1}`
      while (!holder && records.some((record) => record.name === name)) name = `${name}-own`
      if (!holder)
        made.push({
          name,
          type: address.includes(':') ? 'AAAA' : 'A',
          ttl: usualTtl,
          value: address,
        })
      return `${name}.${domain}.`
    })
    if (servers.length === 0) servers = ['localhost.']
    for (const server of servers) made.push({ name: '@', type: 'NS', ttl: usualTtl, value: server })
  }
  if (!records.some((record) => record.type === 'SOA'))
    made.push({
      name: '@',
      type: 'SOA',
      ttl: usualTtl,
      value: `${servers[0] ?? ''} hostmaster.${domain}. ${serial} ${usualTimes}`,
    })
  return [...records, ...made]
}

/**
 * The zone as a file, SOA first, then by name and type; what a zone must have and this one lacks is written too. What is
 * read from it again is the same.
 */
export function writeZone(
  given: readonly RecordView[],
  domain: string,
  authority: ZoneAuthority,
): string {
  const records = withAuthority(given, domain, authority)
  const rank = ({ type, name }: RecordView): number => {
    if (type === 'SOA') return 0
    return type === 'NS' && name === '@' ? 1 : 2
  }
  const order = (record: RecordView): string =>
    `${rank(record)} ${record.name === '@' ? '' : record.name} ${record.type} ${record.value}`
  const lines = [...records]
    .sort((a, b) => (order(a) < order(b) ? -1 : 1))
    .map(
      (record) =>
        `${record.name.padEnd(24)} ${String(record.ttl).padStart(7)} IN ${record.type.padEnd(6)} ${asciiValue(record.value)}`,
    )
  return `$ORIGIN ${domain}.\n$TTL ${usualTtl}\n${lines.join('\n')}\n`
}

/** The serial of a zone written at a time: the day and a running number. Source: RFC 1912, section 2.2. */
export const serialAt = (iso: string): number => Number(`${iso.slice(0, 10).replaceAll('-', '')}01`)
