/** Takes a draft from anywhere in the pages and goes on to it. */
import { redirect } from 'react-router'
import { Refusal } from '~/server/changes/errors'
import type { Gyrarch } from '~/server/gyrarch'
import { gyrarchContext } from '../context'
import { orRefused } from './refusals'
import type { Route } from './+types/draft'

/** The halted run that a draft is a remedy of, or null. */
async function haltedRun(gyrarch: Gyrarch, then: unknown): Promise<string | null> {
  if (typeof then !== 'string') return null
  const row = await gyrarch.changes.find(then).catch(() => null)
  return row?.state === 'halted' ? then : null
}

export const loader = () => redirect('/raise')

export async function action({ request, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  return orRefused(async () => {
    const wanted = (await request.json().catch(() => ({}))) as {
      kind?: unknown
      intent?: unknown
      then?: unknown
      template?: unknown
    }
    if (typeof wanted.template === 'string') {
      const record = await gyrarch.templates.draft(wanted.template, {})
      throw redirect(`/raise/${record.id}`)
    }
    if (typeof wanted.kind !== 'string')
      throw new Refusal('invalid', 'The draft names no kind of change.')
    const record = await gyrarch.changes.draft(
      wanted.kind,
      wanted.intent,
      null,
      await haltedRun(gyrarch, wanted.then),
    )
    if (record.kind === 'cluster.raise') throw redirect(`/raise/${record.id}`)
    throw redirect(
      `/changes/${record.id}${typeof wanted.then === 'string' ? `?then=${encodeURIComponent(wanted.then)}` : ''}`,
    )
  })
}
