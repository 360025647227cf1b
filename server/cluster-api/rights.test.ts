/** What a team may do with a file of its own, asked by a client library of others. */
import {
  ApiException,
  AppsV1Api,
  AuthorizationV1Api,
  CoreV1Api,
  KubeConfig,
  RbacAuthorizationV1Api,
  setHeaderOptions,
} from '@kubernetes/client-node'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { callBackAccess } from '../access/access-file'
import { type Opened, openForTest } from '../testing/open'

let opened: Opened
let duty: KubeConfig

async function fileFor(as?: string, groups?: readonly string[]): Promise<KubeConfig> {
  const file = new KubeConfig()
  file.loadFromString((await opened.gyrarch.access('cedar', { as, groups })).yaml)
  return file
}

/** What a call was answered with: null for its success, else the code and message of its refusal. */
async function refusal(call: Promise<unknown>): Promise<string | null> {
  try {
    await call
    return null
  } catch (error) {
    if (!(error instanceof ApiException)) throw error
    const { message = '' } = (error.code === 401 ? {} : JSON.parse(String(error.body))) as {
      readonly message?: string
    }
    return `${error.code} ${message}`.trim()
  }
}

const rbac = 'rbac.authorization.k8s.io'
const team = 'trial'

beforeAll(async () => {
  opened = await openForTest()
  await opened.gyrarch.clusterServers.listen()
  duty = await fileFor()
  const core = duty.makeApiClient(CoreV1Api)
  const roles = duty.makeApiClient(RbacAuthorizationV1Api)
  await core.createNamespace({ body: { metadata: { name: team } } })
  await roles.createNamespacedRole({
    namespace: team,
    body: {
      metadata: { name: 'keeper' },
      rules: [
        { apiGroups: [''], resources: ['configmaps'], verbs: ['get', 'list', 'create', 'patch'] },
        { apiGroups: [''], resources: ['secrets'], resourceNames: ['own'], verbs: ['get'] },
        { apiGroups: [rbac], resources: ['roles', 'rolebindings'], verbs: ['create'] },
      ],
    },
  })
  await roles.createNamespacedRoleBinding({
    namespace: team,
    body: {
      metadata: { name: 'keepers' },
      roleRef: { apiGroup: rbac, kind: 'Role', name: 'keeper' },
      subjects: [{ kind: 'Group', name: 'keepers', apiGroup: rbac }],
    },
  })
})
afterAll(() => opened.close())

describe('a file for somebody', () => {
  it('lets them look at what the API is, and at nothing in it unless bound', async () => {
    const file = await fileFor('maple')
    const core = file.makeApiClient(CoreV1Api)
    expect(await refusal(core.getAPIResources())).toBeNull()
    expect(await refusal(core.listNode())).toBe(
      '403 nodes is forbidden: User "maple" cannot list resource "nodes" in API group "" at the cluster scope',
    )
    expect(await refusal(core.readNamespacedSecret({ namespace: team, name: 'own' }))).toBe(
      '403 secrets "own" is forbidden: User "maple" cannot get resource "secrets" in API group "" in the namespace "trial"',
    )
  })

  it('gives a group what is bound to it, there and nowhere else', async () => {
    const file = await fileFor('maple', ['keepers'])
    const core = file.makeApiClient(CoreV1Api)
    expect(
      await refusal(
        core.createNamespacedConfigMap({ namespace: team, body: { metadata: { name: 'notes' } } }),
      ),
    ).toBeNull()
    expect(await refusal(core.listNamespacedConfigMap({ namespace: team }))).toBeNull()
    expect(await refusal(core.listNamespacedConfigMap({ namespace: 'climate' }))).toMatch(/^403 /)
    expect(await refusal(core.listConfigMapForAllNamespaces())).toMatch(/^403 /)
    expect(
      await refusal(core.deleteNamespacedConfigMap({ namespace: team, name: 'notes' })),
    ).toMatch(/cannot delete resource "configmaps"/)
    // A name that a rule holds is that name alone; 404 is what somebody who may look is told.
    expect(await refusal(core.readNamespacedSecret({ namespace: team, name: 'own' }))).toMatch(
      /^404 /,
    )
    expect(await refusal(core.readNamespacedSecret({ namespace: team, name: 'else' }))).toMatch(
      /^403 /,
    )
  })

  it('is felt at once when a binding comes or goes', async () => {
    const roles = duty.makeApiClient(RbacAuthorizationV1Api)
    const file = await fileFor('system:serviceaccount:gathering:gathering-ledger')
    const apps = file.makeApiClient(AppsV1Api)
    const list = () => refusal(apps.listNamespacedDeployment({ namespace: team }))
    expect(await list()).toMatch(/User "system:serviceaccount:gathering:gathering-ledger" cannot/)
    await roles.createNamespacedRoleBinding({
      namespace: team,
      body: {
        metadata: { name: 'reads' },
        roleRef: { apiGroup: rbac, kind: 'ClusterRole', name: 'read-all' },
        subjects: [{ kind: 'ServiceAccount', namespace: 'gathering', name: 'gathering-ledger' }],
      },
    })
    expect(await list()).toBeNull()
    await roles.deleteNamespacedRoleBinding({ namespace: team, name: 'reads' })
    expect(await list()).toMatch(/^403 /)
  })

  it('says of itself what it may do', async () => {
    const file = await fileFor('maple', ['keepers'])
    const reviews = file.makeApiClient(AuthorizationV1Api)
    const may = async (verb: string, resource: string, namespace = '') => {
      const { status } = await reviews.createSelfSubjectAccessReview({
        body: { spec: { resourceAttributes: { verb, resource, namespace } } },
      })
      return status?.allowed
    }
    expect([
      await may('list', 'configmaps', team),
      await may('list', 'configmaps'),
      await may('list', 'pods', team),
    ]).toEqual([true, false, false])
    const { status } = await reviews.createSelfSubjectRulesReview({
      body: { spec: { namespace: team } },
    })
    expect(status?.resourceRules).toContainEqual({
      apiGroups: [''],
      resources: ['secrets'],
      resourceNames: ['own'],
      verbs: ['get'],
    })
    expect(await refusal(file.makeApiClient(CoreV1Api).listNode())).toMatch(/^403 /)
  })

  it('gives nobody more than its holder has', async () => {
    const roles = (await fileFor('maple', ['keepers'])).makeApiClient(RbacAuthorizationV1Api)
    const role = (name: string, verbs: string[]) =>
      refusal(
        roles.createNamespacedRole({
          namespace: team,
          body: {
            metadata: { name },
            rules: [{ apiGroups: [''], resources: ['configmaps'], verbs }],
          },
        }),
      )
    expect(await role('less', ['get'])).toBeNull()
    expect(await role('more', ['get', 'delete'])).toMatch(
      /attempting to grant RBAC permissions not currently held:\n.*"delete"/,
    )
    const bind = (kind: string, name: string) =>
      refusal(
        roles.createNamespacedRoleBinding({
          namespace: team,
          body: {
            metadata: { name: `to-${name}` },
            roleRef: { apiGroup: rbac, kind, name },
            subjects: [{ kind: 'User', name: 'maple', apiGroup: rbac }],
          },
        }),
      )
    expect(await bind('Role', 'less')).toBeNull()
    expect(await bind('ClusterRole', 'cluster-admin')).toMatch(/not currently held/)
    expect(await bind('ClusterRole', 'nobody-made-it')).toMatch(/^404 /)
    // A role that gathers others has no rules of its own, and gives all of theirs.
    await duty.makeApiClient(RbacAuthorizationV1Api).createClusterRole({
      body: {
        metadata: { name: 'gathers' },
        aggregationRule: {
          clusterRoleSelectors: [
            { matchLabels: { 'kubernetes.io/bootstrapping': 'rbac-defaults' } },
          ],
        },
        rules: [],
      },
    })
    expect(await bind('ClusterRole', 'gathers')).toMatch(/not currently held/)
  })

  it('is called back with all others of that subject, and with nobody else’s', async () => {
    const [first, second, another] = [
      await fileFor('rowan', ['keepers']),
      await fileFor('rowan', ['keepers']),
      await fileFor('maple', ['keepers']),
    ]
    const list = (file: KubeConfig) =>
      refusal(file.makeApiClient(CoreV1Api).listNamespacedConfigMap({ namespace: team }))
    expect([await list(first), await list(second)]).toEqual([null, null])
    await callBackAccess(opened.gyrarch, 'cedar', 'rowan')
    expect([await list(first), await list(second), await list(another)]).toEqual([
      '401',
      '401',
      null,
    ])
    expect(await list(await fileFor('rowan', ['keepers']))).toBeNull()
  })

  it('is for nobody that the API keeps for itself, and for accounts that are there', async () => {
    await expect(fileFor('system:admin')).rejects.toThrow(/Nobody is signed in as system:admin/)
    await expect(fileFor('maple', ['system:masters'])).rejects.toThrow(/Nobody is put into/)
    await expect(fileFor('system:serviceaccount:trial:nobody')).rejects.toThrow(
      /no such service account/,
    )
  })
})

describe('a token of a service account', () => {
  it('is asked of the API, and is nothing once the account has gone', async () => {
    const core = duty.makeApiClient(CoreV1Api)
    const roles = duty.makeApiClient(RbacAuthorizationV1Api)
    const name = 'collector'
    await core.createNamespacedServiceAccount({ namespace: team, body: { metadata: { name } } })
    await roles.createNamespacedRoleBinding({
      namespace: team,
      body: {
        metadata: { name },
        roleRef: { apiGroup: rbac, kind: 'Role', name: 'keeper' },
        subjects: [{ kind: 'ServiceAccount', namespace: team, name }],
      },
    })
    const asked = (expirationSeconds: number) =>
      core.createNamespacedServiceAccountToken({
        namespace: team,
        name,
        body: { spec: { audiences: [], expirationSeconds } },
      })
    expect(await refusal(asked(60))).toMatch(/^422 .*spec.expirationSeconds/)
    const { status } = await asked(600)
    const file = new KubeConfig()
    const cluster = duty.getCurrentCluster()
    if (!cluster || !status) throw new Error('there is no token')
    file.loadFromClusterAndUser(cluster, { name, token: status.token ?? '' })
    const list = () =>
      refusal(file.makeApiClient(CoreV1Api).listNamespacedConfigMap({ namespace: team }))
    expect(await list()).toBeNull()
    await core.deleteNamespacedServiceAccount({ namespace: team, name })
    await core.createNamespacedServiceAccount({ namespace: team, body: { metadata: { name } } })
    expect(await list()).toBe('401')
  })
})

describe('standing in for somebody', () => {
  const as = (user: string) => setHeaderOptions('Impersonate-User', user)

  it('is what duty may, and sees what that one sees', async () => {
    const core = duty.makeApiClient(CoreV1Api)
    expect(await refusal(core.listNode({}, as('maple')))).toMatch(/User "maple" cannot list/)
  })

  it('is for one who may be stood in for, in no more groups than may be named', async () => {
    const roles = duty.makeApiClient(RbacAuthorizationV1Api)
    await roles.createNamespacedRole({
      namespace: team,
      body: {
        metadata: { name: 'stands-in' },
        rules: [{ apiGroups: [''], resources: ['serviceaccounts'], verbs: ['impersonate'] }],
      },
    })
    await roles.createNamespacedRoleBinding({
      namespace: team,
      body: {
        metadata: { name: 'stands-in' },
        roleRef: { apiGroup: rbac, kind: 'Role', name: 'stands-in' },
        subjects: [{ kind: 'User', name: 'maple', apiGroup: rbac }],
      },
    })
    const asAccount = as('system:serviceaccount:trial:default')
    const core = (await fileFor('maple')).makeApiClient(CoreV1Api)
    expect(await refusal(core.listNode({}, asAccount))).toMatch(
      /User "system:serviceaccount:trial:default" cannot list/,
    )
    const asMaster = setHeaderOptions('Impersonate-Group', 'system:masters', asAccount)
    expect(await refusal(core.listNode({}, asMaster))).toMatch(
      /groups "system:masters" is forbidden: User "maple" cannot impersonate/,
    )
  })

  it('is nobody else’s right unless it is given', async () => {
    const core = (await fileFor('maple')).makeApiClient(CoreV1Api)
    expect(await refusal(core.listNode({}, as('duty')))).toBe(
      '403 users "duty" is forbidden: User "maple" cannot impersonate resource "users" in API group "" at the cluster scope',
    )
  })
})
