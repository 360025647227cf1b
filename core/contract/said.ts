/**
 * What a finding, a fact, a failure, a piece of evidence or a cause tells: a code and its parameters. The sentence for
 * people is made from these in the `says.ts` of each area, and is never read back.
 */

export type Param = string | number | boolean | null | readonly string[] | readonly number[]

export type Params = Readonly<Record<string, Param>>

export interface Said {
  /** Which of the area's sentences it is: `disk.small`, `no-stock` … */
  readonly code: string
  /** What the sentence is about, in the units of the names. */
  readonly params: Params
  /** The sentence, for people alone. */
  readonly says: string
}

type Sentence = (params: never) => string

/** The parameters that a sentence takes; none where it takes none. */
type ParamsOf<S extends Sentence> =
  Parameters<S> extends [infer P extends Params] ? [params: P] : []

/**
 * The sentences of an area by code, as a function that tells one of them. The parameters are typed by the sentence:
 * a code that is not in the table, or a parameter that is missing, does not compile. What takes no parameters is made
 * once and shared.
 */
export function sentences<const T extends Readonly<Record<string, Sentence>>>(
  table: T,
): <C extends keyof T & string>(code: C, ...given: ParamsOf<T[C]>) => Said {
  const constant = new Map<string, Said>()
  return (code, ...given) => {
    const [params] = given
    if (params === undefined) {
      let same = constant.get(code)
      if (!same) {
        same = { code, params: {}, says: (table[code] as () => string)() }
        constant.set(code, same)
      }
      return same
    }
    return { code, params, says: (table[code] as (params: Params) => string)(params) }
  }
}

/** The code, parameters and sentence of something that carries more than these. */
export const saidOf = ({ code, params, says }: Said): Said => ({ code, params, says })

/** Words that somebody outside wrote, told on as they are: a condition's message, a line of a console. */
export const quoted = (code: string, text: string): Said => ({ code, params: { text }, says: text })
