import { describe, expect, it } from 'vitest'
import type { ApiObject } from '../objects'
import { rightsIn } from './rights'
import { whoseIs, whoseText } from './whose'

const role = (name: string, rule: object) => ({
  apiVersion: 'rbac.authorization.k8s.io/v1',
  kind: 'Role',
  metadata: { name, namespace: 'irrigation' },
  rules: [rule],
})
const binding = (name: string, subjects: readonly object[]) => ({
  apiVersion: 'rbac.authorization.k8s.io/v1',
  kind: 'RoleBinding',
  metadata: { name, namespace: 'irrigation' },
  roleRef: { kind: 'Role', name },
  subjects,
})
const rollOut = role('roll-out', {
  apiGroups: ['apps'],
  resources: ['deployments'],
  verbs: ['get', 'patch'],
})
const look = role('look', { apiGroups: ['*'], resources: ['*'], verbs: ['get', 'list', 'watch'] })
const everywhere = [
  {
    apiVersion: 'rbac.authorization.k8s.io/v1',
    kind: 'ClusterRole',
    metadata: { name: 'all' },
    rules: [{ apiGroups: ['*'], resources: ['*'], verbs: ['*'] }],
  },
  {
    apiVersion: 'rbac.authorization.k8s.io/v1',
    kind: 'ClusterRoleBinding',
    metadata: { name: 'duty' },
    roleRef: { kind: 'ClusterRole', name: 'all' },
    subjects: [{ kind: 'Group', name: 'duty' }],
  },
]
const rights = rightsIn([
  rollOut,
  look,
  ...everywhere,
  binding('roll-out', [
    { kind: 'Group', name: 'irrigation-team' },
    { kind: 'User', name: 'ana' },
    { kind: 'ServiceAccount', name: 'planner', namespace: 'irrigation' },
    { kind: 'Group', name: 'system:authenticated' },
  ]),
  binding('look', [{ kind: 'User', name: 'guest' }]),
])

const planner = (namespace: string, managedFields: readonly object[] = []): ApiObject => ({
  apiVersion: 'apps/v1',
  kind: 'Deployment',
  metadata: { name: 'planner', namespace, managedFields },
})

describe('whose an object is', () => {
  it('are the people who may change it where it lives: none who only look, no accounts, not who runs the platform', () => {
    const whose = whoseIs(rights, planner('irrigation'))
    expect(whose.people).toEqual(['ana', 'irrigation-team'])
    expect(whoseText(whose)).toBe('ana and irrigation-team')
  })

  it('asks for the kind and its group', () => {
    const objects = { ...planner('irrigation'), kind: 'StatefulSet' }
    expect(whoseIs(rights, objects).people).toEqual([])
    expect(whoseIs(rights, { ...planner('irrigation'), apiVersion: 'v1' }).people).toEqual([])
  })

  it('is the one who wrote last where no binding names anybody, by the time and not by the order', () => {
    const written = planner('market', [
      { manager: 'team-files', operation: 'Apply', time: '2026-03-02T06:00:00Z' },
      { manager: 'zeal', operation: 'Update', time: '2026-03-01T06:00:00Z' },
    ])
    expect(whoseText(whoseIs(rights, written))).toBe('team-files')
    expect(whoseText(whoseIs(rights, planner('market')))).toBe('came with the platform')
  })
})
