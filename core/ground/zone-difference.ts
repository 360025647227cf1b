/** What a zone file would alter in what is served. */
import { readZone, serialNewer } from './zone-file'

/** A zone file laid against what a site serves: what it would set and what it would remove. */
export function zoneAgainst(
  text: string,
  site: {
    readonly name: string
    readonly nameDomain: string
    readonly records: readonly {
      readonly name: string
      readonly type: string
      readonly ttl: number
      readonly value: string
    }[]
  },
) {
  const { records, problems } = readZone(text, site.nameDomain)
  const serial = (list: typeof site.records): number | null => {
    const soa = list.find((record) => record.type === 'SOA')
    return soa ? Number(soa.value.split(' ')[2]) : null
  }
  const [was, is] = [serial(site.records), serial(records)]
  const stale =
    was !== null && is !== null && !serialNewer(is, was)
      ? [
          {
            line: 0,
            level: 'caution' as const,
            says: `Its serial ${is} is not newer than ${was}, which is served (RFC 1982). Setting it raises the serial once more.`,
          },
        ]
      : []
  const key = (record: {
    readonly name: string
    readonly type: string
    readonly value: string
  }): string => `${record.name} ${record.type} ${record.value}`
  const [have, want] = [
    new Map(site.records.map((record) => [key(record), record])),
    new Set(records.map(key)),
  ]
  const set = records.filter((record) => have.get(key(record))?.ttl !== record.ttl)
  const remove = site.records
    .filter((record) => !want.has(key(record)))
    .map(({ name, type, value }) => ({ name, type, value }))
  return {
    records,
    problems: [...stale, ...problems],
    change:
      set.length + remove.length === 0
        ? null
        : { kind: 'wire.record', intent: { site: site.name, set, remove } },
  }
}
