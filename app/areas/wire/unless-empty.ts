/** An empty list means all, which a rule says by leaving the field out. */
export const unlessEmpty = (list: readonly string[]): readonly string[] | undefined =>
  list.length === 0 ? undefined : list
