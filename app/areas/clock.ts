/** The clock’s controls. */
import { data } from 'react-router'
import { speeds } from '~/server/connectors/standin/clock-keeper'
import { gyrarchContext } from '../context'
import type { Route } from './+types/clock'

export async function action({ request, context }: Route.ActionArgs) {
  const gyrarch = context.get(gyrarchContext)
  const form = await request.formData()
  const speed = speeds.find((speed) => String(speed) === form.get('speed'))
  if (speed !== undefined) await gyrarch.outside.setSpeed(speed)
  else if (form.get('calm') === 'yes' || form.get('calm') === 'no')
    await gyrarch.outside.setCalm(form.get('calm') === 'yes')
  else if (form.get('next') === 'event') await gyrarch.outside.toNextEvent()
  else
    return data(
      { says: 'The clock knows the speeds 0, 1, 60 and 600, and a step to the next event.' },
      { status: 400 },
    )
  return { says: null }
}

export const loader = () => data('The clock is set from the aim bar.', { status: 404 })
