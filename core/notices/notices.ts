/** What somebody has to decide within some days: support, certificates and credentials that end, and pools that lag. */
import { isAmong } from '../contract'
import type { FleetView } from '../fleet'
import { said } from './says'
import { supportOn } from '../releases'

const dayMs = 86_400_000

/** Within so many days an end is told. */
export const noticeDays = 90

export interface Notice {
  /** Of the same thing the same, however often it is asked. */
  readonly id: string
  readonly kind: 'support' | 'certificates' | 'credential' | 'lag'
  /** The cluster or registry that it is about. */
  readonly about: string
  /** The last day (ISO date) on which it is well; null where it is not a matter of days. */
  readonly day: string | null
  /** Whole days left; negative once it is over. */
  readonly daysLeft: number | null
  readonly says: string
  /** The page where it is decided. */
  readonly path: string
}

const daysTo = (day: string, now: string): number =>
  Math.floor((Date.parse(day) - Date.parse(now.slice(0, 10))) / dayMs)

function supportNotices(view: FleetView, days: number): readonly Notice[] {
  return supportOn(view.clusters, view.catalogue, view.now.slice(0, 10)).flatMap(
    ({ cluster, release, until, daysLeft, pools }): readonly Notice[] => [
      ...(until !== null && daysLeft !== null && daysLeft <= days
        ? [
            {
              id: `support-${cluster}-${release}`,
              kind: 'support' as const,
              about: cluster,
              day: until,
              daysLeft,
              says: said('support.ends', { cluster, release, until, daysLeft }).says,
              path: `/renew/upgrades?cluster=${encodeURIComponent(cluster)}`,
            },
          ]
        : []),
      ...pools
        .filter(({ behind }) => behind >= 2)
        .map((pool) => ({
          id: `lag-${cluster}-${pool.name}-${pool.release}`,
          kind: 'lag' as const,
          about: cluster,
          day: null,
          daysLeft: null,
          says: said('pool.lags', { cluster, pool: pool.name, behind: pool.behind }).says,
          path: `/renew/upgrades?cluster=${encodeURIComponent(cluster)}`,
        })),
    ],
  )
}

function certificateNotices(view: FleetView, days: number): readonly Notice[] {
  return view.clusters.flatMap(({ name, certificatesUntil, controlPlane }): readonly Notice[] => {
    if (controlPlane.kind !== 'own' || !certificatesUntil) return []
    const day = certificatesUntil.slice(0, 10)
    const daysLeft = daysTo(day, view.now)
    return daysLeft > days
      ? []
      : [
          {
            id: `certificates-${name}-${day}`,
            kind: 'certificates',
            about: name,
            day,
            daysLeft,
            says: said('certificates.end', { cluster: name, day, daysLeft }).says,
            path: `/clusters/${encodeURIComponent(name)}`,
          },
        ]
  })
}

/** Credentials whose last round ends, while a repository that they open is closed. */
function credentialNotices(view: FleetView, days: number): readonly Notice[] {
  return view.sites.flatMap(({ registry }): readonly Notice[] =>
    (registry?.access?.accounts ?? []).flatMap((account): readonly Notice[] => {
      const closed = registry?.access?.closed ?? []
      const isNeeded = account.repositories.some((repository) => isAmong(closed, repository))
      const last = account.rounds
        .map(({ until }) => until)
        .sort()
        .at(-1)
      if (!isNeeded || last === undefined) return []
      const day = last.slice(0, 10)
      const daysLeft = daysTo(day, view.now)
      return daysLeft > days
        ? []
        : [
            {
              id: `credential-${account.name}-${day}`,
              kind: 'credential',
              about: registry?.host ?? '',
              day,
              daysLeft,
              says: said('credential.ends', {
                account: account.name,
                namespace: `${account.cluster}/${account.namespace}`,
                day,
                daysLeft,
              }).says,
              path: '/store/registries',
            },
          ]
    }),
  )
}

/** What was last told of a list of clusters, and what else that rested on: every page counts it. */
interface Told {
  readonly of: readonly unknown[]
  readonly notices: readonly Notice[]
}

const lastTold = new WeakMap<FleetView['clusters'], Told>()

/** What is to be decided, what is over first. Computed anew once a part of the view is another, or on the next day. */
export function noticesOf(view: FleetView, days = noticeDays): readonly Notice[] {
  const of = [days, view.now.slice(0, 10), view.catalogue, view.sites]
  const before = lastTold.get(view.clusters)
  if (before?.of.every((part, i) => part === of[i])) return before.notices
  const notices = [
    ...supportNotices(view, days),
    ...certificateNotices(view, days),
    ...credentialNotices(view, days),
  ].sort((a, b) => (a.daysLeft ?? Infinity) - (b.daysLeft ?? Infinity) || (a.id < b.id ? -1 : 1))
  lastTold.set(view.clusters, { of, notices })
  return notices
}
