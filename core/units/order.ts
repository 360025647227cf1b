/** Compares by code unit, so that every machine sorts alike whatever its language. */
export const compareText = (a: string, b: string): number => {
  if (a < b) return -1
  if (a > b) return 1
  return 0
}
