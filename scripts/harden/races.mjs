/** The same thing asked for many times at once: it happens once, or to one of them. */
import { ask, serve } from './served.mjs'

const raised = (nth) => ({
  name: `sedge-${nth}`,
  site: nth % 2 === 0 ? 'mossgate' : 'tarn-north',
  release: '1.33.2',
  controlPlane: nth % 2 === 0 ? { kind: 'own', count: 3 } : { kind: 'managed', tier: 'plain' },
  pools: [{ name: 'general', size: nth % 2 === 0 ? 'rack-4' : 'reed-2-8', count: 1 + (nth % 4) }],
  ranges: {
    pods: `10.${150 + nth * 2}.0.0/18`,
    services: `10.${151 + nth * 2}.0.0/20`,
    maxPodsPerNode: 110,
  },
})

const draft = async (served, nth) =>
  (await ask(served, 'POST', '/changes', { kind: 'cluster.raise', intent: raised(nth) })).json

const run = (served, { id, findings }) =>
  ask(served, 'POST', `/changes/${id}/run`, { accept: findings.map(({ key }) => key) })

/** Fifty amendments of one version: one is taken. */
async function amendments(served) {
  const { id, version, intent } = await draft(served, 0)
  const answers = await Promise.all(
    Array.from({ length: 50 }, (_, nth) =>
      ask(
        served,
        'PATCH',
        `/changes/${id}`,
        { intent: { ...intent, name: `reed-${nth}` } },
        {
          'if-match': `"${version}"`,
        },
      ),
    ),
  )
  await ask(served, 'DELETE', `/changes/${id}`)
  const taken = answers.filter(({ status }) => status === 200).length
  return taken === 1 ? [] : [`${taken} of 50 amendments of one version were taken`]
}

/** A draft run and discarded at once: one of both. */
async function runOrDiscard(served) {
  const made = await draft(served, 1)
  const both = await Promise.all([run(served, made), ask(served, 'DELETE', `/changes/${made.id}`)])
  const taken = both.filter(({ status }) => status < 300).length
  return taken === 1
    ? []
    : [`of a run and a discard at once ${taken} were taken: ${both.map(({ status }) => status)}`]
}

/** Twelve clusters at once: none halts for room, quota, addresses or names. */
async function starts(served) {
  const drafts = []
  for (let nth = 2; nth < 14; nth++) drafts.push(await draft(served, nth))
  await Promise.all(drafts.map((made) => run(served, made)))
  await ask(served, 'POST', '/clock', { advanceSeconds: 3 * 3600 })
  const ends = await Promise.all(drafts.map(({ id }) => ask(served, 'GET', `/changes/${id}`)))
  const done = ends.filter(({ json }) => json.state === 'done').length
  if (done < 3) return [`only ${done} of twelve clusters started at once stand`]
  return ends
    .filter(({ json }) => json.state === 'halted')
    .map(({ json }) => `${json.label} halted: ${json.cause?.says ?? ''}`)
}

export async function race() {
  const served = await serve()
  await served.ready
  await ask(served, 'POST', '/clock', { speed: 0 })
  const losses = []
  for (const one of [amendments, runOrDiscard, starts]) losses.push(...(await one(served)))
  const second = await serve(served.dir)
  if ((await second.ready) !== null) losses.push('a second server began on the same folder')
  await second.kill()
  await served.remove()
  return losses
}
