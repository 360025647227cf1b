/** Gives access files out, and calls them back. */
import { z } from 'zod'
import { callBackAccess, subjectText } from '~/server/access/access-file'
import { Refusal } from '~/server/changes/errors'
import { gyrarchContext } from '../context'
import { askedForm, field, fields } from './asked'
import { orRefused } from './refusals'
import type { Route } from './+types/access'

const asking = z.object({
  do: field(),
  cluster: field(),
  as: subjectText,
  group: fields.pipe(z.array(subjectText).max(50)),
  seconds: z.coerce.number().int().min(1).max(28_800),
})

export async function action({ request, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  return orRefused(async () => {
    const { do: what, cluster, as, group, seconds } = await askedForm(request, asking)
    if (what === 'give') {
      const { yaml } = await gyrarch.access(cluster, { as, groups: group, seconds })
      return { yaml, refused: null }
    }
    if (what !== 'call-back')
      throw new Refusal('invalid', 'Access files are given, or called back.')
    await callBackAccess(gyrarch, cluster, as)
    return { yaml: null, refused: null }
  })
}
