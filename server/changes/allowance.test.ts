import { describe, expect, it } from 'vitest'
import { record } from '~/core/objects'
import { gyrarchForAll, runOut, type Opened } from '~/server/testing/open'

let opened: Opened
gyrarchForAll((made) => (opened = made))

const namespace = (sizes: string) =>
  `apiVersion: v1\nkind: Namespace\nmetadata: {name: trial, annotations: {gyrarch/machine-sizes: "${sizes}", gyrarch/storage-classes: cloud-disk}}\n`
const desk =
  'apiVersion: apps/v1\nkind: Deployment\nmetadata: {name: desk, namespace: trial}\nspec:\n  selector: {matchLabels: {app: desk}}\n  template:\n    metadata: {labels: {app: desk}}\n    spec: {containers: [{name: desk, image: "registry.fernhollow.example/market/market-desk:2", resources: {requests: {cpu: 50m, memory: 64Mi}}}]}\n'
const claim = (name: string) =>
  `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: seeds, namespace: trial}\nspec: {storageClassName: ${name}, accessModes: [ReadWriteOnce], resources: {requests: {storage: 5G}}}\n`
const says = async (...texts: readonly string[]) =>
  (
    await opened.gyrarch.changes.draft('manifest.apply', {
      cluster: 'dill',
      text: texts.join('---\n'),
    })
  ).findings.map(({ level, says: said }) => `${level}: ${said}`)

describe('what a namespace may use', () => {
  it('is said before an apply: sizes it keeps pods to, sizes nobody has, classes it refuses', async () => {
    expect(await says(namespace('reed-4-16'), desk)).toContainEqual(
      expect.stringMatching(/^note: .*kept to machines of reed-4-16/),
    )
    expect(await says(namespace('reed-2-8'), desk)).toContainEqual(
      expect.stringMatching(/^stop: .*dill has none of them/),
    )
    expect(await says(namespace('reed-4-16'), claim('cloud-disk-fast'))).toContainEqual(
      expect.stringMatching(/^stop: .*may use cloud-disk/),
    )
    expect(
      (await says(namespace('reed-4-16'), claim('cloud-disk'))).some((name) =>
        name.startsWith('stop'),
      ),
    ).toBe(false)
  })
  it('holds once applied', async () => {
    const { gyrarch } = opened
    const drafted = await gyrarch.changes.draft('manifest.apply', {
      cluster: 'dill',
      text: [namespace('reed-4-16'), desk, claim('cloud-disk')].join('---\n'),
    })
    await gyrarch.changes.run(drafted.id, {
      accept: drafted.findings.map((finding) => finding.key),
    })
    expect((await runOut(gyrarch, drafted.id)).state).toBe('done')
    const [pod] = (await gyrarch.outside.objects('dill', { kind: 'Pod', namespace: 'trial' })) ?? []
    expect(record(pod?.['status'])['phase']).toBe('Running')
    expect(JSON.stringify(record(pod?.['spec'])['affinity'])).toContain('reed-4-16')
  })
})
