/** What is known of an object at a time, quoted from where it stood. */

/** `pod/namespace/name`, `node/name`, `cluster`. */
export type Ref = string

export interface Fact {
  readonly type: 'condition' | 'status' | 'event' | 'log' | 'object' | 'walk'
  readonly about: Ref
  /** ISO; null where nothing says when. */
  readonly at: string | null
  /** Quoted from the input. */
  readonly text: string
}
