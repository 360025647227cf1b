/** What a raise needs of its site beside machines: addresses that are given out, names, time, routes, stores, credentials. */
import type { Fact, RawFinding } from '../../changes'
import type { SiteView } from '../../fleet'
import { zoneStore } from '../../fleet'
import { listText } from '../../units'
import { bootDataOf } from '../boot-plan'
import type { Check, Planned } from '../planned'
import { said } from './says'

export const at = (site: SiteView) => ({ source: site.name, at: site.observedAt })

export const patch = (path: string, value: unknown) => ({
  patchDraft: [{ op: 'add', path, value } as const],
})

export const checkStores: Check = (planned) => {
  const { site, machines, intent } = planned
  if (!site || site.kind !== 'hall') return []
  return site.zones.flatMap((zone): RawFinding[] => {
    const here = machines.filter((machine) => machine.zone === zone)
    const requested = here.reduce((sum, machine) => sum + machine.rootDiskGb, 0)
    if (requested === 0) return []
    const { usableGb, usedGb } = zoneStore(site, zone)
    if (usedGb + requested <= usableGb) return []
    const owned = new Set(planned.view.clusters.map((cluster) => cluster.name))
    const stray = site.disks.filter(
      (disk) =>
        disk.zone === zone &&
        (disk.cluster === null || !owned.has(disk.cluster)) &&
        disk.machine === null,
    )
    const elsewhere = site.zones.filter(
      (otherZone) =>
        otherZone !== zone &&
        zoneStore(site, otherZone).usableGb - zoneStore(site, otherZone).usedGb > requested,
    )
    const fields = [...new Set(here.map((machine) => machine.field))]
    return [
      {
        level: 'stop',
        rule: 'store.room',
        field: 'pools',
        about: `store/${site.name}/${zone}`,
        ...said('store.room', {
          zone,
          freeGb: Math.max(0, usableGb - usedGb),
          neededGb: requested,
        }),
        because: [
          {
            ...said('store-use', { usedGb, usableGb }),
            ...at(site),
          },
          ...stray.slice(0, 3).map((disk) => ({
            ...said('store-disk', { disk: disk.name, sizeGb: disk.sizeGb, cluster: disk.cluster }),
            ...at(site),
          })),
        ],
        offers: [
          ...(stray.length > 0
            ? [
                {
                  says: `Remove ${listText(
                    stray.map((disk) => disk.name),
                    2,
                  )}, which nobody owns`,
                  change: {
                    kind: 'orphans.remove',
                    intent: {
                      site: site.name,
                      items: stray.map((disk) => ({ kind: 'disk', name: disk.name })),
                    },
                  },
                },
              ]
            : []),
          ...(elsewhere.length > 0
            ? [
                {
                  says: `Leave ${zone} out`,
                  change: {
                    patchDraft: fields.map((field) => ({
                      op: 'add' as const,
                      path: `/${field.replace(/\[(\d+)\]/g, '/$1')}/zones`,
                      value: zonesOf(intent, field, site).filter((otherZone) => otherZone !== zone),
                    })),
                  },
                },
              ]
            : []),
        ],
      },
    ]
  })
}

function zonesOf(intent: Planned['intent'], field: string, site: SiteView): readonly string[] {
  const index = /^pools\[(\d+)\]$/.exec(field)?.[1]
  let request: string[] | undefined
  if (index === undefined) {
    if (intent.controlPlane.kind === 'own') request = intent.controlPlane.zones
    else request = undefined
  } else request = intent.pools[Number(index)]?.zones
  return request?.length ? request : site.zones
}

export const checkBootData: Check = (planned) => {
  const { site, intent } = planned
  if (!site || site.bootData.limitBytes === null) return []
  const limit = site.bootData.limitBytes
  const all = bootDataOf(planned)
  const large = all.filter((boot) => boot.handed.fullBytes > limit)
  const first = large[0]
  if (!first) return []
  return [
    {
      level: 'note',
      rule: 'boot-data.limit',
      field: 'bootData',
      ...said('boot-data.limit', {
        largeCount: large.length,
        site: site.name,
        fullBytes: first.handed.fullBytes,
        limit,
        base64: site.bootData.base64,
      }),
      because: [
        {
          ...said('bytes-limit', {
            machine: first.machine,
            fullBytes: first.handed.fullBytes,
            limit,
          }),
          ...at(site),
        },
        ...(intent.services?.authorities.length
          ? [
              {
                ...said('authorities', { authoritiesCount: intent.services.authorities.length }),
                source: 'draft',
              },
            ]
          : []),
      ],
    },
  ]
}

/** Private keys and broken certificates are caught before they lie on every machine. */
export const checkAuthorities: Check = ({ intent }) =>
  (intent.services?.authorities ?? []).flatMap((authority, i): RawFinding[] => {
    const field = `services.authorities[${i}].pem`
    const drop = {
      says: 'Leave it out',
      change: { patchDraft: [{ op: 'remove' as const, path: `/services/authorities/${i}` }] },
    }
    if (authority.pem.includes('PRIVATE KEY'))
      return [
        {
          level: 'stop',
          rule: 'authority.private',
          field,
          ...said('authority.private', { authority: authority.name || 'This authority' }),
          because: [],
          offers: [drop],
        },
      ]
    if (
      /^\s*-----BEGIN CERTIFICATE-----[A-Za-z0-9+/=\s]+-----END CERTIFICATE-----\s*$/.test(
        authority.pem,
      )
    )
      return []
    return [
      {
        level: 'stop',
        rule: 'authority.readable',
        field,
        ...said('authority.readable', { authority: authority.name || 'This authority' }),
        because: [],
        offers: [drop],
      },
    ]
  })

export const checkCredentials: Check = ({ site, view }) => {
  if (!site || site.kind !== 'cloud') return []
  const credentials = view.credentials.filter((credential) => credential.site === site.name)
  const good = credentials.filter(
    (credential) => credential.until > view.now && credential.checked?.good !== false,
  )
  const because: Fact[] = credentials.map((credential) => ({
    ...said('credential', {
      credential: credential.name,
      until: credential.until.slice(0, 10),
      ended: credential.until <= view.now,
      answer: credential.checked?.says ?? null,
    }),
    source: 'credentials',
  }))
  if (good.length === 0) {
    return [
      {
        level: 'stop',
        rule: 'credentials.valid',
        field: 'site',
        ...(credentials.length === 0
          ? said('credentials.valid.there-no-credential', { site: site.name })
          : said('credentials.valid.credentials-ended-enter', { site: site.name })),
        because,
      },
    ]
  }
  const days = Math.max(
    ...good.map((credential) => (Date.parse(credential.until) - Date.parse(view.now)) / 86_400_000),
  )
  return days > 14
    ? []
    : [
        {
          level: 'caution',
          rule: 'credentials.soon',
          field: 'site',
          ...said('credentials.soon', { site: site.name, days: Math.max(0, Math.floor(days)) }),
          because,
        },
      ]
}

export const checkStorageClass: Check = ({ site, intent, machines }) => {
  const request = intent.storageClass
  if (!site || request === undefined || request === '') return []
  const field = 'storageClass'
  const storageClass = site.storageClasses.find((candidate) => candidate.name === request)
  const zones = [
    ...new Set(
      machines.filter((machine) => machine.role === 'worker').map((machine) => machine.zone),
    ),
  ]
  const fitting = site.storageClasses.filter((candidate) =>
    zones.every((zone) => candidate.zones.includes(zone)),
  )
  const because: Fact[] = site.storageClasses.map((candidate) => ({
    ...said('storage-class-zones', {
      storageClass: candidate.name,
      zones: candidate.zones,
    }),
    ...at(site),
  }))
  const offers = fitting.slice(0, 2).map((candidate) => ({
    says: `Use ${candidate.name}`,
    change: patch('/storageClass', candidate.name),
  }))
  if (!storageClass)
    return [
      {
        level: 'stop',
        rule: 'storage.offered',
        field,
        ...said('storage.offered', { site: site.name, wanted: request }),
        because,
        offers,
      },
    ]
  const without = zones.filter((zone) => !storageClass.zones.includes(zone))
  if (without.length === 0) return []
  return [
    {
      level: 'stop',
      rule: 'storage.zone',
      field,
      ...said('storage.zone', { wanted: request, without }),
      because,
      offers,
    },
  ]
}
