/** The clock’s controls. */
import { z } from 'zod'
import { data } from 'react-router'
import { speeds } from '~/server/connectors/standin/clock-keeper'
import { askedForm, field } from './asked'
import { Refusal } from '~/server/changes/errors'
import { gyrarchContext } from '../context'
import { orRefused } from './refusals'
import type { Route } from './+types/clock'

const setting = z.object({
  speed: field(),
  calm: z.enum(['', 'yes', 'no'], { error: 'Say yes or no.' }).default(''),
  next: field(),
})

export async function action({ request, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  return orRefused(async () => {
    const form = await askedForm(request, setting)
    const speed = speeds.find((speed) => String(speed) === form.speed)
    if (speed !== undefined) await gyrarch.outside.setSpeed(speed)
    else if (form.calm !== '') await gyrarch.outside.setCalm(form.calm === 'yes')
    else if (form.next === 'event') await gyrarch.outside.toNextEvent()
    else if (form.next === 'stop') gyrarch.outside.stopAdvancing()
    else
      throw new Refusal(
        'invalid',
        'The clock knows the speeds 0, 1, 60 and 600, and a step to the next event.',
      )
    return { refused: null }
  })
}

export const loader = () => data('The clock is set from the aim bar.', { status: 404 })
