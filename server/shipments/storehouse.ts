/** Registries and shipments, put together: what is published, packed, carried and pulled. */
import { join } from 'node:path'
import type { Outside } from '../connectors/standin/outside'
import type { Fleet } from '../fleet/fleet'
import { Registries } from '../registries/registries'
import type { Catalogue } from '../releases/catalogue'
import type { Awaiting } from './intake'
import { Shipments } from './shipments'

export function openStorehouse(parts: {
  readonly dir: string
  readonly catalogue: Catalogue
  readonly fleet: Fleet
  readonly outside: Outside
  readonly runner: Awaiting
  readonly token: (purpose: string) => string
  readonly onError: (error: unknown) => void
}): { readonly registries: Registries; readonly shipments: Shipments } {
  const { dir, catalogue, fleet, outside, runner, token, onError } = parts
  const registries = new Registries({
    dir: join(dir, 'registries'),
    catalogue,
    view: () => fleet.view(),
    now: () => outside.now,
    token,
    tell: (told) => outside.tellRegistry(told),
    onError,
  })
  const published = () => registries.published()
  fleet.published = published
  const shipments = new Shipments({
    dir: join(dir, 'shipments'),
    registries,
    published,
    awaiting: runner,
    onError,
  })
  return { registries, shipments }
}
