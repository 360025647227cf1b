/** How routes of several subjects answer alike. */
import { z } from 'zod'
import { siteOf } from '~/core/fleet'
import { Refusal } from '../changes/errors'
import type { FleetPictures } from '../fleet/pictures'
import type { Answer } from './route'

export const ok = (json: unknown): Answer => ({ json })

/** An answer that is JSON text already. */
export const okText = (body: string): Answer => ({ text: { type: 'application/json', body } })

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
export async function siteCalled(fleet: FleetPictures, name: string | undefined) {
  const view = await fleet.view()
  const site = siteOf(view, name ?? '')
  if (!site) throw new Refusal('not-found', `There is no site ${(name ?? '').slice(0, 80)}.`)
  return { view, site }
}

/** What was looked at, or a refusal: what nobody looked at is not guessed. */
export function observed<T>(answer: T | null, cluster: string): T {
  if (answer === null)
    throw new Refusal(
      'not-found',
      `${cluster} was not heard at that time: its API did not answer, or nobody had looked yet.`,
      [{ path: 'at', says: 'not observed' }],
    )
  return answer
}
