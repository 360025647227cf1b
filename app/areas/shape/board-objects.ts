/** What the board of a cluster is placed from, for a worker. */
import { boardAnswer } from './board-answer'
import type { Route } from './+types/board-objects'

export const loader = ({ request, context }: Route.LoaderArgs): Promise<Response> =>
  boardAnswer(request, context, (judges, cluster, view) => judges.boardObjects(cluster, view))
