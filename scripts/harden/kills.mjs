/** Servers killed at random moments, started again, and asked what became of what was under way. */
import { rmSync } from 'node:fs'
import { ask, newFolder, serve } from './served.mjs'

const raised = {
  name: 'birch',
  site: 'mossgate',
  release: '1.33.2',
  controlPlane: { kind: 'own', count: 3 },
  pools: [{ name: 'general', size: 'rack-4', count: 2 }],
  ranges: { pods: '10.134.0.0/18', services: '10.135.0.0/20', maxPodsPerNode: 110 },
}
const wait = (ms) => new Promise((done) => setTimeout(done, ms))

/** First starts that are killed, and at last one that is not: what is not there then is lost. */
export async function killFirstStarts(kills, chance) {
  const dir = newFolder()
  const losses = []
  for (let nth = 0; nth < kills; nth++) {
    const served = await serve(dir)
    await wait(200 + chance.below(2500))
    await served.kill()
  }
  const served = await serve(dir)
  if ((await served.ready) === null)
    losses.push(`a first start did not recover: ${served.said.errors}`)
  else {
    const { json } = await ask(served, 'GET', '/credentials')
    if ((json?.credentials ?? []).length === 0) losses.push('a first start lost its credentials')
  }
  await served.remove()
  rmSync(dir, { recursive: true, force: true })
  return losses
}

/** A run that is killed again and again, run out or taken back: every machine once, no more and no fewer. */
export async function killRuns(kills, chance) {
  const losses = []
  let left = kills
  while (left > 0) {
    const dir = newFolder()
    let served = await serve(dir)
    await served.ready
    await ask(served, 'POST', '/clock', { speed: 0 })
    const { json: draft } = await ask(served, 'POST', '/changes', {
      kind: 'cluster.raise',
      intent: raised,
    })
    await ask(served, 'POST', `/changes/${draft.id}/run`, {
      accept: draft.findings.map(({ key }) => key),
    })
    const takesBack = chance.is(0.3)
    for (let round = 0; round < 8 && left > 0; round++, left--) {
      const moving = ask(served, 'POST', '/clock', { advanceSeconds: 20 + chance.below(160) })
      if (takesBack && round === 4) await ask(served, 'POST', `/changes/${draft.id}/take-back`, {})
      await wait(chance.below(120))
      await served.kill()
      await moving
      served = await serve(dir)
      if ((await served.ready) === null) {
        losses.push(`did not start again: ${served.said.errors}`)
        break
      }
    }
    let state = ''
    for (let minutes = 0; minutes < 240; minutes++) {
      state = (await ask(served, 'GET', `/changes/${draft.id}`)).json?.state ?? ''
      if (!['running', 'undoing', 'waiting'].includes(state)) break
      await ask(served, 'POST', '/clock', { advanceSeconds: 60 })
    }
    const { json: site } = await ask(served, 'GET', '/sites/mossgate')
    const machines = (site?.machines ?? []).filter(({ name }) => name.startsWith('birch-')).length
    const expected = { done: 5, 'taken-back': 0 }[state]
    if (machines !== expected)
      losses.push(
        `a killed run is ${state} with ${machines} machines, ${expected ?? 'none'} expected`,
      )
    await served.remove()
  }
  return losses
}
