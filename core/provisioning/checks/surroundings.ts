/** What a raise needs of its site beside machines: addresses that are given out, names, time, routes, stores, credentials. */
import type { Fact, RawFinding } from '../../changes'
import type { SiteView } from '../../fleet'
import { zoneStore } from '../../fleet'
import { bytesText, countText, listText, numberText } from '../../units'
import { bootDataOf } from '../boot-plan'
import type { Check, Planned } from '../planned'

export const at = (site: SiteView) => ({ source: site.name, at: site.observedAt })

export const patch = (path: string, value: unknown) => ({
  patchDraft: [{ op: 'add', path, value } as const],
})

export const checkStores: Check = (planned) => {
  const { site, machines, intent } = planned
  if (!site || site.kind !== 'hall') return []
  return site.zones.flatMap((zone): RawFinding[] => {
    const here = machines.filter((machine) => machine.zone === zone)
    const asked = here.reduce((sum, machine) => sum + machine.rootDiskGb, 0)
    if (asked === 0) return []
    const { usableGb, usedGb } = zoneStore(site, zone)
    if (usedGb + asked <= usableGb) return []
    const owned = new Set(planned.view.clusters.map((cluster) => cluster.name))
    const stray = site.disks.filter(
      (disk) =>
        disk.zone === zone &&
        (disk.cluster === null || !owned.has(disk.cluster)) &&
        disk.machine === null,
    )
    const elsewhere = site.zones.filter(
      (other) =>
        other !== zone && zoneStore(site, other).usableGb - zoneStore(site, other).usedGb > asked,
    )
    const fields = [...new Set(here.map((machine) => machine.field))]
    return [
      {
        level: 'stop',
        rule: 'store.room',
        field: 'pools',
        about: `store/${site.name}/${zone}`,
        says: `The disk store of ${zone} has ${numberText(Math.max(0, usableGb - usedGb))} GB left; this draft needs ${numberText(asked)} there.`,
        because: [
          {
            says: `${numberText(usedGb)} of ${numberText(usableGb)} GB in use, two copies of each`,
            ...at(site),
          },
          ...stray.slice(0, 3).map((disk) => ({
            says: `${disk.name}: ${numberText(disk.sizeGb)} GB, ${disk.cluster === null ? 'no cluster owns it' : `made for ${disk.cluster}, which is gone`}`,
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
                      value: zonesOf(intent, field, site).filter((other) => other !== zone),
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
  let asked: string[] | undefined
  if (index === undefined) {
    if (intent.controlPlane.kind === 'own') asked = intent.controlPlane.zones
    else asked = undefined
  } else asked = intent.pools[Number(index)]?.zones
  return asked?.length ? asked : site.zones
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
      says: `The boot data of ${countText(large.length, 'machine')} is too large for ${site.name}: ${bytesText(first.handed.fullBytes)} of ${bytesText(limit)}${site.bootData.base64 ? ', after base64' : ''}. It is published on the boot server, and a pointer with its SHA-256 is handed over.`,
      because: [
        {
          says: `${first.machine}: ${numberText(first.handed.fullBytes)} bytes; limit ${numberText(limit)}`,
          ...at(site),
        },
        ...(intent.services?.authorities.length
          ? [
              {
                says: `${countText(intent.services.authorities.length, 'certificate authority', 'certificate authorities')} in it`,
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
          says: `${authority.name || 'This authority'} holds a private key. It would lie on every machine; paste the certificate alone.`,
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
        says: `${authority.name || 'This authority'} is no certificate: one block from BEGIN CERTIFICATE to END CERTIFICATE is expected.`,
        because: [],
        offers: [drop],
      },
    ]
  })

export const checkCredentials: Check = ({ site, view }) => {
  if (!site || site.kind !== 'cloud') return []
  const mine = view.credentials.filter((credential) => credential.site === site.name)
  const good = mine.filter(
    (credential) => credential.until > view.now && credential.checked?.good !== false,
  )
  const because: Fact[] = mine.map((credential) => ({
    says: `${credential.name}: ${credential.until > view.now ? 'until' : 'ended'} ${credential.until.slice(0, 10)}${credential.checked ? `, ${credential.checked.says}` : ''}`,
    source: 'credentials',
  }))
  if (good.length === 0) {
    return [
      {
        level: 'stop',
        rule: 'credentials.valid',
        field: 'site',
        says:
          mine.length === 0
            ? `There is no credential for ${site.name}. It takes orders only with one.`
            : `The credentials for ${site.name} have ended. Enter a new one on the page of the site.`,
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
          says: `The credential for ${site.name} ends in ${countText(Math.max(0, Math.floor(days)), 'day')}. A raise that halts may not be able to go on.`,
          because,
        },
      ]
}

export const checkStorageClass: Check = ({ site, intent, machines }) => {
  const wish = intent.storageClass
  if (!site || wish === undefined || wish === '') return []
  const field = 'storageClass'
  const known = site.storageClasses.find((other) => other.name === wish)
  const zones = [
    ...new Set(
      machines.filter((machine) => machine.role === 'worker').map((machine) => machine.zone),
    ),
  ]
  const fitting = site.storageClasses.filter((other) =>
    zones.every((zone) => other.zones.includes(zone)),
  )
  const because: Fact[] = site.storageClasses.map((other) => ({
    says: `${other.name}: ${listText(other.zones)}`,
    ...at(site),
  }))
  const offers = fitting
    .slice(0, 2)
    .map((other) => ({ says: `Use ${other.name}`, change: patch('/storageClass', other.name) }))
  if (!known)
    return [
      {
        level: 'stop',
        rule: 'storage.offered',
        field,
        says: `${site.name} offers no storage class ${wish}.`,
        because,
        offers,
      },
    ]
  const without = zones.filter((zone) => !known.zones.includes(zone))
  if (without.length === 0) return []
  return [
    {
      level: 'stop',
      rule: 'storage.zone',
      field,
      says: `${wish} is not offered in ${listText(without)}. A volume could not follow its pod there.`,
      because,
      offers,
    },
  ]
}
