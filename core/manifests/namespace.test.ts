import { expect, it } from 'vitest'
import { invalidities, namespaceObjects, parseManifests, type TeamNamespace } from '.'
import { namespaceManifest } from './namespace-text'

const orchids: TeamNamespace = {
  name: 'orchids',
  level: 'baseline',
  cpu: '4',
  memory: '16Gi',
  pods: '20',
  sizes: [],
  classes: [],
  group: '',
}

const readBack = (team: TeamNamespace) => {
  const { documents, problems } = parseManifests(namespaceManifest(team))
  expect(problems).toEqual([])
  return documents.map(({ object }) => object)
}

it('makes objects that the schema of the open API takes', () => {
  const objects = readBack({ ...orchids, group: 'growers', sizes: ['m4'], classes: ['fast'] })
  expect(objects.map(({ kind }) => kind)).toEqual([
    'Namespace',
    'ResourceQuota',
    'LimitRange',
    'Role',
    'RoleBinding',
  ])
  expect(objects.flatMap((object) => invalidities(object))).toEqual([])
})

it('keeps names that YAML would read as something else', () => {
  for (const name of ['123', 'true', 'null', '0x1f', '1e3', 'no']) {
    const objects = readBack({ ...orchids, name, group: name })
    expect(objects.map(({ metadata }) => metadata.namespace ?? metadata.name)).toEqual(
      objects.map(() => name),
    )
    expect(objects.at(-1)).toMatchObject({ metadata: { name }, subjects: [{ name }] })
  }
})

it('limits only what was chosen, and binds nobody when no group is named', () => {
  const [namespace] = namespaceObjects(orchids)
  expect(namespace?.metadata?.annotations).toBeUndefined()
  expect(namespaceObjects(orchids)).toHaveLength(3)
  const limited = namespaceObjects({ ...orchids, sizes: ['m4', 'm8'] })[0]
  expect(Object.values(limited?.metadata?.annotations ?? {})).toEqual(['m4,m8'])
})
