/** An upgrade in place beside a second cluster: judged apart from the page, which is there before. */
import { gyrarchContext } from '../../context'
import { usualSoak, waysTo } from '~/server/renew/two-ways'
import type { Route } from './+types/two-ways-data'

const mostHours = 24 * 365

export async function loader({ request, context }: Route.LoaderArgs) {
  const { searchParams } = new URL(request.url)
  const hours = Number(searchParams.get('hours') ?? usualSoak / 3600)
  const isSound = Number.isInteger(hours) && hours >= 0 && hours <= mostHours
  return {
    ways: await waysTo(
      context.get(gyrarchContext),
      {
        cluster: searchParams.get('cluster') ?? '',
        to: searchParams.get('to') ?? '',
        soakSeconds: isSound ? hours * 3600 : usualSoak,
      },
      request.signal,
    ),
  }
}
