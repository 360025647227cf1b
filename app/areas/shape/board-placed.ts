/** The board of a cluster as it stands, placed beside the server while the page that asks for it wakes up. */
import { boardAnswer } from './board-answer'
import type { Route } from './+types/board-placed'

export const loader = ({ request, context }: Route.LoaderArgs): Promise<Response> =>
  boardAnswer(request, context, (judges, cluster, view) => judges.board(cluster, view))
