/** What a simulated day adds to the history, and how long a page of the past takes. */
import { serve } from '../e2e/server'
import { type Figure, middle } from './figure'

interface Extent {
  readonly bytes: number
  readonly begins: string
}

async function figuresOf(
  of: string,
  args: readonly string[],
  kbADay: number,
  days: number,
): Promise<readonly Figure[]> {
  const served = await serve({ args })
  const api = `${served.url}/api/v1`
  const clock = (body: object): Promise<unknown> =>
    fetch(`${api}/clock`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    }).then((response) => response.text())
  const extent = async (): Promise<Extent> =>
    (await (await fetch(`${api}/history?limit=1`)).json()) as Extent
  try {
    await clock({ speed: 0 })
    const before = await extent()
    await clock({ advanceSeconds: 86_400 })
    const after = await extent()
    for (let day = 1; day < days; day++) await clock({ advanceSeconds: 86_400 })
    const at = new Date(Date.parse(before.begins) + 43_200_000).toISOString()
    const taken: number[] = []
    for (let i = 0; i < 7; i++) {
      // Another moment each time: none of them was put together before.
      const moment = new Date(Date.parse(at) + i * 60_000).toISOString()
      const from = performance.now()
      await (await fetch(`${served.url}/fleet?at=${moment}`)).text()
      taken.push(performance.now() - from)
    }
    return [
      {
        name: `History of ${of}, a simulated day`,
        value: (after.bytes - before.bytes) / 1000,
        unit: 'kB',
        aim: { atMost: kbADay },
      },
      {
        name: `Fleet page of ${of}, ${days === 1 ? 'a day' : `${days} days`} ago`,
        value: middle(taken).median,
        unit: 'ms',
        aim: { atMost: 500 },
      },
    ]
  } finally {
    await served.remove()
  }
}

export async function historyFigures(): Promise<readonly Figure[]> {
  return [
    ...(await figuresOf('the demo', [], 4000, 60)),
    ...(await figuresOf('5,000 nodes', ['--nodes', '5000'], 60_000, 1)),
  ]
}
