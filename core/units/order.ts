/** Compares by code unit, so that every machine sorts alike whatever its language. */
export const compareText = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0)
