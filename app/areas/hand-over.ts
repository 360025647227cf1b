/** Hands the manifest of an agent to the stand-in of a partner. */
import { z } from 'zod'
import { handOver } from '~/server/partner/hand-over'
import { gyrarchContext } from '../context'
import { askedForm, field } from './asked'
import { orRefused } from './refusals'
import type { Route } from './+types/hand-over'

export async function action({ request, context }: Route.ActionArgs) {
  return orRefused(async () => {
    const { name, acts } = await askedForm(request, z.object({ name: field(), acts: field() }))
    await handOver(context.get(gyrarchContext), name, acts !== '')
    return { refused: null }
  })
}
