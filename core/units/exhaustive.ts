/** Closes a switch over a union: the compiler refuses it while a case is missing. */
export function exhaustive(value: never): never {
  throw new Error(`unhandled case: ${JSON.stringify(value)}`)
}
