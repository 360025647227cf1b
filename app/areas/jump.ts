/** What *Jump* finds for a text: areas, views, commands, changes, and everything in the fleet that has a name. */
import { data } from 'react-router'
import { gyrarchContext } from '../context'
import { areas } from '../frame/rail'
import { type JumpPlace, views } from '../frame/places'
import { pathOfPlace } from '../parts/place-path'
import type { Gyrarch } from '~/server/gyrarch'
import { caseSummary } from '~/server/mend/case-told'
import type { Route } from './+types/jump'

const limit = 40

async function changes(gyrarch: Gyrarch): Promise<readonly JumpPlace[]> {
  const rows = await gyrarch.changes.list({ limit: 500 })
  return rows.map((row) => {
    const id = `c-${row.number}`
    const isSheet = row.state === 'draft' && row.kind === 'cluster.raise'
    return {
      kind: 'change',
      name: `${id} ${row.title ?? row.label}`,
      where: row.state,
      ref: `change/${id}`,
      path: isSheet ? `/raise/${id}` : `/changes/${id}`,
    }
  })
}

/** A case by what is wrong and what it is about; the number is found too. */
async function cases(gyrarch: Gyrarch): Promise<readonly JumpPlace[]> {
  const rows = await gyrarch.cases.list()
  return rows.map((row) => {
    const { id, says, subjects, cluster, state } = caseSummary(row)
    const about = subjects[0] ?? row.about
    return {
      kind: 'case',
      name: `${id} ${says === '' ? about : `${about}: ${says}`}`,
      where: cluster === '' ? state : `${state}, ${cluster}`,
      ref: `case/${id}`,
      path: `/mend/${id}`,
    }
  })
}

export async function loader({ request, context }: Route.LoaderArgs) {
  const gyrarch = context.get(gyrarchContext)
  const text = new URL(request.url).searchParams.get('text')?.slice(0, 120) ?? ''
  const pages: readonly JumpPlace[] = [
    ...areas.map(({ name, path }) => ({
      kind: 'area',
      name,
      where: '',
      ref: `area/${name}`,
      path,
    })),
    ...views,
  ]
  const { places, more } = gyrarch.jump.find(
    await gyrarch.fleet.view(),
    [...pages, ...(await changes(gyrarch)), ...(await cases(gyrarch))],
    text,
    limit,
  )
  return data({
    more,
    places: places.map((place) => ({
      ...place,
      path: 'path' in place ? place.path : pathOfPlace(place.ref),
    })),
  })
}
