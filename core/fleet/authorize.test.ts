import { describe, expect, it } from 'vitest'
import { accountOf, accountSubject, mayDo, notHeld, rightsIn, rightsOf } from '.'

const role = (kind: string, name: string, rules: readonly object[], more: object = {}) => ({
  kind,
  metadata: { name, ...(kind === 'Role' ? { namespace: 'market' } : {}) },
  rules,
  ...more,
})
const binding = (namespace: string | null, kind: string, name: string, subject: object) => ({
  kind: namespace === null ? 'ClusterRoleBinding' : 'RoleBinding',
  metadata: { name: `${name}-bound`, ...(namespace === null ? {} : { namespace }) },
  roleRef: { kind, name },
  subjects: [subject],
})
const rule = (groups: string[], resources: string[], verbs: string[], names: string[] = []) => ({
  apiGroups: groups,
  resources,
  verbs,
  ...(names.length > 0 ? { resourceNames: names } : {}),
})

const rights = rightsIn([
  role('Role', 'keeper', [
    rule([''], ['configmaps'], ['get', 'list']),
    rule([''], ['pods/log'], ['get']),
    rule([''], ['secrets'], ['get'], ['own']),
  ]),
  role('ClusterRole', 'pieces', [rule(['batch'], ['jobs'], ['create'])]),
  {
    ...role('ClusterRole', 'whole', [rule(['*'], ['*'], ['*'])]),
    metadata: { name: 'gathers' },
    aggregationRule: { clusterRoleSelectors: [{ matchLabels: { part: 'yes' } }] },
  },
  {
    ...role('ClusterRole', 'part', [rule(['apps'], ['*'], ['get'])]),
    metadata: { name: 'part', labels: { part: 'yes' } },
  },
  binding('market', 'Role', 'keeper', { kind: 'Group', name: 'keepers' }),
  binding('market', 'ClusterRole', 'pieces', {
    kind: 'ServiceAccount',
    namespace: 'climate',
    name: 'planner',
  }),
  binding(null, 'ClusterRole', 'gathers', { kind: 'User', name: 'maple' }),
])
const may = (
  subject: { readonly name: string; readonly groups: readonly string[] },
  verb: string,
  resource: string,
  namespace: string | null,
  name: string | null = null,
  apiGroup = '',
) => mayDo(rightsOf(rights, subject), { verb, apiGroup, resource, namespace, name })

const keeper = { name: 'rowan', groups: ['keepers'] }
const planner = accountSubject('climate', 'planner')
const maple = { name: 'maple', groups: [] }

describe('a deed', () => {
  it.each([
    ['what a group is given, where it is given', may(keeper, 'list', 'configmaps', 'market'), true],
    ['and nowhere else', may(keeper, 'list', 'configmaps', 'climate'), false],
    ['nor everywhere at once', may(keeper, 'list', 'configmaps', null), false],
    ['nor by another verb', may(keeper, 'delete', 'configmaps', 'market'), false],
    ['a part of a resource', may(keeper, 'get', 'pods/log', 'market', 'desk'), true],
    ['which is not the whole', may(keeper, 'get', 'pods', 'market', 'desk'), false],
    ['an object of one name', may(keeper, 'get', 'secrets', 'market', 'own'), true],
    ['and of no other', may(keeper, 'get', 'secrets', 'market', 'else'), false],
    ['nor of all names', may(keeper, 'get', 'secrets', 'market'), false],
    [
      'an account of another namespace',
      may(planner, 'create', 'jobs', 'market', null, 'batch'),
      true,
    ],
    ['in no other group of the API', may(planner, 'create', 'jobs', 'market', null, 'apps'), false],
    ['what a gathered role has', may(maple, 'get', 'deployments', 'market', null, 'apps'), true],
    ['and not what stands in the one that gathers', may(maple, 'get', 'nodes', null), false],
    [
      'nothing for one whom nobody bound',
      may({ name: 'x', groups: [] }, 'get', 'pods', 'market'),
      false,
    ],
  ])('%s', (_says, allowed, expected) => expect(allowed).toBe(expected))
})

it('knows a service account by its name, and its groups', () => {
  expect(planner).toEqual({
    name: 'system:serviceaccount:climate:planner',
    groups: ['system:serviceaccounts', 'system:serviceaccounts:climate', 'system:authenticated'],
  })
  expect(accountOf(planner.name)).toEqual({ namespace: 'climate', name: 'planner' })
  expect(
    ['maple', 'system:serviceaccount:a', 'system:serviceaccount:a:b:c'].map(accountOf),
  ).toEqual([null, null, null])
})

describe('what is not held', () => {
  const own = rightsOf(rights, keeper)
  const missing = (rules: readonly object[], namespace: string | null = 'market') =>
    notHeld(own, rules as readonly Record<string, unknown>[], namespace)

  it('is nothing of what one has', () => {
    expect(missing([rule([''], ['configmaps'], ['get', 'list'])])).toBeNull()
    expect(missing([rule([''], ['secrets'], ['get'], ['own'])])).toBeNull()
  })

  it('is the first thing that one has not, there', () => {
    expect(missing([rule([''], ['configmaps'], ['get', 'patch'])])).toContain('"patch"')
    expect(missing([rule([''], ['configmaps'], ['*'])])).toContain('"*"')
    expect(missing([rule([''], ['secrets'], ['get'])])).toContain('"secrets"')
    expect(missing([rule([''], ['configmaps'], ['get'])], null)).toContain('"configmaps"')
  })

  it('is looked for in bounded time, whatever a role lists', () => {
    const many = Array.from({ length: 400 }, (_, i) => `r${i}`)
    expect(missing([rule(many, many, many)])).toContain('"*"')
  })
})
