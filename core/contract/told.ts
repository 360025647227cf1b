/** The type of what a schema reads, as nobody may alter it: every list and record read-only, absent parts left out. */
export type Told<T> = unknown extends T
  ? T
  : T extends string | number | boolean | null | undefined
    ? T
    : T extends readonly (infer Item)[]
      ? readonly Told<Item>[]
      : { readonly [Key in keyof T]: Told<Exclude<T[Key], undefined>> }
