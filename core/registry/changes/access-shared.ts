/** What the changes to a registry’s access share: which registry is meant, and that they cost nothing. */
import { longestPath, type Plan, type RawFinding, type Ref, type Step, stop } from '../../changes'
import type { FleetView } from '../../fleet'
import { isRepository } from '../reference'
import { said } from './says'

export const registriesAre = (view: FleetView) => {
  const hosts = view.sites.flatMap((site) => site.registry?.host ?? [])
  return { ...said('registries.are', { hosts }), source: 'fleet' }
}

export function unknownRegistry(registry: string, view: FleetView): RawFinding {
  const hosts = view.sites.flatMap((site) => site.registry?.host ?? [])
  return stop(
    'registry.known',
    'registry',
    said('registry.unknown', { registry }),
    [registriesAre(view)],
    hosts.slice(0, 2).map((host) => ({
      says: `Take ${host}`,
      change: { patchDraft: [{ op: 'replace', path: '/registry', value: host } as const] },
    })),
  )
}

/** The first of some repositories that is not written as one. */
export const misnamed = (repositories: readonly string[]): string | undefined =>
  repositories.find((repository) => !isRepository(repository))

export function accessPlan(
  steps: readonly Step[],
  refs: Partial<Pick<Plan, 'creates' | 'alters' | 'removes'>> & { readonly alters: readonly Ref[] },
): Plan {
  return {
    steps,
    creates: [],
    removes: [],
    ...refs,
    ...longestPath(steps),
    spend: { before: 0, after: 0 },
    reserves: [],
  }
}
