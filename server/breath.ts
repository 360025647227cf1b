/**
 * Lets what waits have its turn: called between pieces of work that together would hold the event loop for long.
 * One who waits goes on in each turn of the loop, so that pieces of eight requests are never done in one go.
 */
const waiting: (() => void)[] = []

function goOn(): void {
  waiting.shift()?.()
  if (waiting.length > 0) setImmediate(goOn)
}

export const breath = (): Promise<void> =>
  new Promise((resolve) => {
    waiting.push(resolve)
    if (waiting.length === 1) setImmediate(goOn)
  })
