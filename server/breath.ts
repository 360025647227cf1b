/** Lets what waits have its turn: called between pieces of work that together would hold the event loop for long. */
export const breath = (): Promise<void> => new Promise((resolve) => setImmediate(resolve))
