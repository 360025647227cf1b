/** How routes of several subjects answer alike. */
import { z } from 'zod'
import { siteOf } from '~/core/fleet'
import { Refusal } from '../changes/errors'
import type { Gyrarch } from '../gyrarch'
import type { Answer } from './route'

export const ok = (json: unknown): Answer => ({ json })

export const asChange = (record: { readonly version: number }, status?: number): Answer => ({
  json: record,
  etag: `"${record.version}"`,
  ...(status === undefined ? {} : { status }),
})

export const wholeText = (max: number) =>
  z
    .string()
    .regex(/^\d{1,12}$/, 'Give a whole number.')
    .transform(Number)
    .pipe(z.number().max(max))

/** The site of that name with the fleet it is in, or a refusal. */
export async function siteCalled(gyrarch: Gyrarch, name: string | undefined) {
  const view = await gyrarch.fleet.view()
  const site = siteOf(view, name ?? '')
  if (!site) throw new Refusal('not-found', `There is no site ${(name ?? '').slice(0, 80)}.`)
  return { view, site }
}
