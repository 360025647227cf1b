/** A change rehearsed on what was pasted of a cluster goes as it does in the cluster itself. */
import { describe, expect, it } from 'vitest'
import { inThisThread } from '../connectors/standin/engine-link'
import { modelsIn } from '../connectors/standin/rehearsal-model'
import { gyrarchForEach, type Opened } from '../testing/open'
import { type PastedAsked, rehearsePasted } from './pasted'

let opened: Opened
gyrarchForEach((made) => (opened = made))

const rehearse = (asked: PastedAsked) =>
  rehearsePasted(modelsIn(inThisThread), asked, new AbortController().signal)

async function exported(cluster: string) {
  const { gyrarch } = opened
  const { now } = await gyrarch.fleet.view()
  return { objects: (await gyrarch.fleet.objectsOf(cluster)) ?? [], now }
}

describe('what was pasted of a cluster', () => {
  it('loses the same pods from a node that is drained as the cluster itself would', async () => {
    const { gyrarch } = opened
    const nodes = ['bramble-general-2']
    const answer = await rehearse({
      ...(await exported('bramble')),
      kind: 'node.drain',
      intent: { nodes },
    })
    if (!answer.ok) throw new Error(answer.says)
    const { id } = await gyrarch.changes.draft('node.drain', { cluster: 'bramble', nodes })
    await gyrarch.rehearsals.begin(id)
    await gyrarch.rehearsals.atRest()
    const { rehearsal } = await gyrarch.rehearsals.state(await gyrarch.changes.get(id))
    const left = (steps: readonly { readonly left: readonly { readonly pod: string }[] }[] = []) =>
      steps.flatMap((step) => step.left.map(({ pod }) => pod)).sort()
    expect(left(answer.value.rehearsal?.steps).length).toBeGreaterThan(0)
    expect(left(answer.value.rehearsal?.steps)).toEqual(left(rehearsal?.steps))
    expect(answer.value.rehearsal?.steps.map(({ state }) => state)).toEqual(
      rehearsal?.steps.map(({ state }) => state),
    )
    expect(answer.value.against).toEqual([])
    const { objects, now } = await exported('bramble')
    const text = JSON.stringify({ apiVersion: 'v1', kind: 'List', items: objects })
    expect(await rehearse({ objects: text, now, kind: 'node.drain', intent: { nodes } })).toEqual(
      answer,
    )
  })

  it('takes an image that nobody knows of, and says where pods find no place', async () => {
    const told = await exported('bramble')
    const desk = (replicas: number, cpu: string) =>
      [
        'apiVersion: apps/v1',
        'kind: Deployment',
        'metadata: {name: new-desk, namespace: market}',
        'spec:',
        `  replicas: ${replicas}`,
        '  selector: {matchLabels: {app: new-desk}}',
        '  template:',
        '    metadata: {labels: {app: new-desk}}',
        '    spec:',
        '      containers:',
        '        - name: desk',
        '          image: images.elsewhere.example/new-desk:1',
        `          resources: {requests: {cpu: ${cpu}, memory: 64Mi}}`,
      ].join('\n')
    const apply = (text: string) => rehearse({ ...told, kind: 'manifest.apply', intent: { text } })
    const fits = await apply(desk(2, '50m'))
    if (!fits.ok) throw new Error(fits.says)
    expect(fits.value.findings.filter(({ level }) => level === 'stop')).toEqual([])
    expect(fits.value.rehearsal?.steps.map(({ state }) => state)).toEqual(['done', 'done'])
    expect(fits.value.against).toEqual([])
    const large = await apply(desk(1, '900'))
    if (!large.ok) throw new Error(large.says)
    const told900 = [
      ...large.value.findings.map(({ rule }) => rule.split('.')[0]),
      ...large.value.against.map(({ code }) => code),
    ]
    expect(told900.some((code) => code === 'place' || code === 'pods.waited')).toBe(true)
  })

  it('is refused where it is no cluster, or the change does not fit it', async () => {
    const told = await exported('dill')
    expect(await rehearse({ ...told, objects: [], kind: 'node.drain', intent: {} })).toEqual({
      ok: false,
      path: 'objects',
      says: 'There is no node among them. Export the nodes too.',
    })
    expect(
      await rehearse({ ...told, objects: 'kind: {', kind: 'node.drain', intent: {} }),
    ).toMatchObject({ ok: false, path: 'objects' })
    expect(await rehearse({ ...told, kind: 'node.drain', intent: { nodes: 'all' } })).toMatchObject(
      { ok: false, path: 'intent.nodes' },
    )
    const unknown = await rehearse({ ...told, kind: 'node.drain', intent: { nodes: ['nobody'] } })
    expect(unknown.ok && unknown.value.plan).toBeNull()
    expect(unknown.ok && unknown.value.findings.some(({ level }) => level === 'stop')).toBe(true)
  })
})
