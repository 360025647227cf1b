/** Lists, whole or in chunks: the chunks of a list are one picture, however long its reader takes. */
import { randomBytes } from 'node:crypto'
import { compareText } from '~/core/units'
import type { Kept, Mirror } from './mirror'
import { testOf } from './selectors'
import { ApiRefusal } from './status'
import type { Target } from './target'

export interface Listed {
  readonly items: readonly Kept[]
  readonly version: number
  readonly continues: string | null
  /** How many are left; only where nothing was selected. */
  readonly left: number | null
}

interface Picture {
  readonly items: readonly Kept[]
  readonly version: number
  readonly isSelected: boolean
  /** Whose list it is: a token for another list leads nowhere. */
  readonly of: string
}

/** Pictures that are kept for who reads on. */
const mostPictures = 64

/** A limit as a request gives it; 0 for none. */
function limitOf(query: URLSearchParams): number {
  const given = query.get('limit')
  if (given === null || given === '') return 0
  if (!/^\d{1,9}$/.test(given))
    throw new ApiRefusal(400, `limit: "${given.slice(0, 60)}" is no whole number`)
  return Number(given)
}

const tokenForm = /^([\w-]{16})\.(\d{1,9})$/

export class Lists {
  private readonly pictures = new Map<string, Picture>()

  constructor(private readonly mirror: Mirror) {}

  list(target: Target, query: URLSearchParams): Listed {
    const limit = limitOf(query)
    const token = query.get('continue')
    if (token !== null && token !== '') return this.goOn(token, target, limit)
    const { kind } = target.served.resource
    const test = testOf(query, kind)
    const all = [...this.mirror.of(kind).values()]
      .filter(
        (kept) =>
          (target.namespace === null || kept.namespace === target.namespace) &&
          (test === null || test(kept.object)),
      )
      .sort((a, b) => compareText(a.namespace, b.namespace) || compareText(a.name, b.name))
    const picture = {
      items: all,
      version: this.mirror.version,
      isSelected: test !== null,
      of: placeOf(target),
    }
    return this.chunk(picture, 0, limit, null)
  }

  private goOn(token: string, target: Target, limit: number): Listed {
    const [, id, from] = tokenForm.exec(Buffer.from(token, 'base64url').toString()) ?? []
    if (id === undefined)
      throw new ApiRefusal(400, 'continue key is not valid: it was not given by this server')
    const picture = this.pictures.get(id)
    if (!picture)
      throw new ApiRefusal(
        410,
        'The provided continue parameter is too old to display a consistent list result. Begin the list anew.',
      )
    if (picture.of !== placeOf(target))
      throw new ApiRefusal(400, 'continue key is not valid: it belongs to another list')
    return this.chunk(picture, Number(from), limit, id)
  }

  private chunk(picture: Picture, from: number, limit: number, id: string | null): Listed {
    const end = limit === 0 ? picture.items.length : from + limit
    const items = picture.items.slice(from, end)
    const left = picture.items.length - Math.min(end, picture.items.length)
    return {
      items,
      version: picture.version,
      continues: left > 0 ? this.token(picture, end, id) : null,
      left: left > 0 && !picture.isSelected ? left : null,
    }
  }

  private token(picture: Picture, at: number, id: string | null): string {
    const key = id ?? randomBytes(12).toString('base64url')
    this.pictures.delete(key)
    this.pictures.set(key, picture)
    for (const oldest of this.pictures.keys()) {
      if (this.pictures.size <= mostPictures) break
      this.pictures.delete(oldest)
    }
    return Buffer.from(`${key}.${at}`).toString('base64url')
  }
}

const placeOf = ({ served, namespace }: Target): string =>
  `${served.resource.apiGroup}/${served.resource.plural} in ${namespace ?? 'all'}`
