/** Takes a draft from anywhere in the pages and goes on to it. */
import { z } from 'zod'
import { redirect } from 'react-router'
import { Refusal } from '~/server/changes/errors'
import type { Gyrarch } from '~/server/gyrarch'
import { askedJson } from './asked'
import { gyrarchContext } from '../context'
import { orRefused } from './refusals'
import type { Route } from './+types/draft'

/** The halted run that a draft is a remedy of, or null. */
async function haltedRun(gyrarch: Gyrarch, then: string | null): Promise<string | null> {
  if (then === null) return null
  const row = await gyrarch.changes.find(then).catch(() => null)
  return row?.state === 'halted' ? then : null
}

export const loader = () => redirect('/raise')

const drafting = z.object({
  kind: z.string().max(80).optional(),
  intent: z.unknown().optional(),
  then: z.string().max(40).nullable().default(null),
  template: z.string().max(80).optional(),
})

export async function action({ request, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  return orRefused(async () => {
    const wanted = await askedJson(request, drafting)
    if (wanted.template !== undefined) {
      const record = await gyrarch.templates.draft(wanted.template, {})
      throw redirect(`/raise/${record.id}`)
    }
    if (wanted.kind === undefined)
      throw new Refusal('invalid', 'The draft names no kind of change.')
    const record = await gyrarch.changes.draft(
      wanted.kind,
      wanted.intent,
      null,
      await haltedRun(gyrarch, wanted.then),
    )
    if (record.kind === 'cluster.raise') throw redirect(`/raise/${record.id}`)
    throw redirect(
      `/changes/${record.id}${wanted.then ? `?then=${encodeURIComponent(wanted.then)}` : ''}`,
    )
  })
}
