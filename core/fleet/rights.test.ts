import { describe, expect, it } from 'vitest'
import type { ApiObject } from '../objects'
import { rightsIn, whatCan, whoCan } from '.'

const objects: readonly ApiObject[] = [
  {
    kind: 'ClusterRole',
    metadata: { name: 'read-all' },
    rules: [{ apiGroups: ['', 'apps'], resources: ['*'], verbs: ['get', 'list'] }],
  },
  {
    kind: 'ClusterRoleBinding',
    metadata: { name: 'duty' },
    roleRef: { kind: 'ClusterRole', name: 'read-all' },
    subjects: [{ kind: 'Group', name: 'duty' }],
  },
  {
    kind: 'RoleBinding',
    metadata: { name: 'market', namespace: 'market' },
    roleRef: { kind: 'ClusterRole', name: 'read-all' },
    subjects: [{ kind: 'ServiceAccount', name: 'broker', namespace: 'market' }],
  },
  {
    kind: 'Role',
    metadata: { name: 'logs', namespace: 'market' },
    rules: [{ apiGroups: [''], resources: ['pods/log'], verbs: ['get'], resourceNames: ['desk'] }],
  },
  {
    kind: 'RoleBinding',
    metadata: { name: 'ana', namespace: 'market' },
    roleRef: { kind: 'Role', name: 'logs' },
    subjects: [{ kind: 'User', name: 'ana' }],
  },
  {
    kind: 'RoleBinding',
    metadata: { name: 'broken', namespace: 'market' },
    roleRef: { kind: 'Role', name: 'gone' },
    subjects: [{ kind: 'User', name: 'bob' }],
  },
]
const rights = rightsIn(objects)
const names = (verb: string, resource: string, namespace: string | null) =>
  whoCan(rights, verb, resource, namespace).map((whoCan) => whoCan.subject)

describe('who can', () => {
  it.each<[string, string, string, string | null, readonly string[]]>([
    [
      'a cluster role bound for the cluster holds everywhere',
      'list',
      'pods',
      'climate',
      ['Group duty'],
    ],
    [
      'bound in a namespace it holds there alone',
      'list',
      'pods',
      'market',
      ['Group duty', 'ServiceAccount market/broker'],
    ],
    [
      'for the whole cluster only what is bound for it counts',
      'list',
      'pods',
      null,
      ['Group duty'],
    ],
    ['a group that is not listed is not meant', 'list', 'jobs.batch', 'market', []],
    [
      'one that is, is',
      'get',
      'deployments.apps',
      'market',
      ['Group duty', 'ServiceAccount market/broker'],
    ],
    [
      'a sub-resource is its own',
      'get',
      'pods/log',
      'market',
      ['Group duty', 'ServiceAccount market/broker', 'User ana'],
    ],
    ['nobody may do what no rule says', 'delete', 'pods', 'market', []],
  ])('%s', (_name, verb, resource, namespace, expected) =>
    expect(names(verb, resource, namespace)).toEqual(expected),
  )

  it('says by which binding, and for which names alone', () => {
    expect(
      whoCan(rights, 'get', 'pods/log', 'market').find((whoCan) => whoCan.subject === 'User ana'),
    ).toEqual({ subject: 'User ana', by: ['RoleBinding market/ana, Role logs'], names: ['desk'] })
    expect(whatCan(rights, 'User bob')).toEqual([])
  })
})
