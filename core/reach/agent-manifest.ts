/**
 * What is applied beside a cluster so that its agent runs there: under an account of its own that may read what Gyrarch
 * shows and nothing else, with one Secret for what it dials with.
 */
import { writeYaml } from '../objects'

export interface AgentPlace {
  readonly cluster: string
  /** As the other side reaches it. */
  readonly relay: string
  readonly token: string
  /** The agent itself: one file that Node.js runs. */
  readonly program: string
  /** Any with Node.js. */
  readonly image: string
  /** What is read, by API group. */
  readonly shown: Readonly<Record<string, readonly string[]>>
}

const space = 'gyrarch-agent'
const name = 'gyrarch-agent'
const labels = { 'app.kubernetes.io/name': name }

/** The account that an agent runs under. */
export const agentAccount = { namespace: space, name } as const

const named = (own: string = name) => ({ name: own, namespace: space, labels })

/** The rights to read what is shown, and those to act as well. */
export const readingRules = (shown: AgentPlace['shown']) => [
  ...Object.entries(shown).map(([group, resources]) => ({
    apiGroups: [group],
    resources,
    verbs: ['get', 'list', 'watch'],
  })),
  { apiGroups: [''], resources: ['pods/log'], verbs: ['get'] },
  { apiGroups: ['metrics.k8s.io'], resources: ['pods'], verbs: ['get', 'list'] },
]

const actingRules = [
  {
    apiGroups: [''],
    resources: [
      'configmaps',
      'services',
      'serviceaccounts',
      'persistentvolumeclaims',
      'namespaces',
    ],
    verbs: ['create', 'update', 'patch', 'delete'],
  },
  { apiGroups: [''], resources: ['nodes'], verbs: ['patch'] },
  { apiGroups: [''], resources: ['pods'], verbs: ['delete'] },
  { apiGroups: [''], resources: ['pods/eviction'], verbs: ['create'] },
  {
    apiGroups: ['apps'],
    resources: ['deployments', 'statefulsets', 'daemonsets'],
    verbs: ['create', 'update', 'patch', 'delete'],
  },
  {
    apiGroups: ['batch'],
    resources: ['jobs', 'cronjobs'],
    verbs: ['create', 'update', 'patch', 'delete'],
  },
  {
    apiGroups: ['networking.k8s.io'],
    resources: ['networkpolicies', 'ingresses'],
    verbs: ['create', 'update', 'patch', 'delete'],
  },
  {
    apiGroups: ['policy'],
    resources: ['poddisruptionbudgets'],
    verbs: ['create', 'update', 'patch', 'delete'],
  },
  {
    apiGroups: ['autoscaling'],
    resources: ['horizontalpodautoscalers'],
    verbs: ['create', 'update', 'patch', 'delete'],
  },
]

const clusterRole = (own: string, rules: readonly unknown[]) => ({
  apiVersion: 'rbac.authorization.k8s.io/v1',
  kind: 'ClusterRole',
  metadata: { name: own, labels },
  rules,
})

/** The rights that Gyrarch needs in a cluster, to be copied: to read, and to act as well. */
export const rolesText = (
  shown: AgentPlace['shown'],
): { readonly read: string; readonly act: string } => ({
  read: writeYaml(clusterRole('gyrarch-read', readingRules(shown))),
  act: writeYaml(clusterRole('gyrarch-act', actingRules)),
})

/** What lets an agent act in its cluster as well: to be applied beside its manifest. */
export const actingManifest = (): string =>
  [
    clusterRole('gyrarch-act', actingRules),
    {
      apiVersion: 'rbac.authorization.k8s.io/v1',
      kind: 'ClusterRoleBinding',
      metadata: { name: 'gyrarch-act', labels },
      roleRef: { apiGroup: 'rbac.authorization.k8s.io', kind: 'ClusterRole', name: 'gyrarch-act' },
      subjects: [{ kind: 'ServiceAccount', ...agentAccount }],
    },
  ]
    .map(writeYaml)
    .join('---\n')

function deployment({ cluster, relay, image }: AgentPlace) {
  const host = 'https://kubernetes.default.svc'
  const mounted = '/var/run/secrets/kubernetes.io/serviceaccount'
  return {
    apiVersion: 'apps/v1',
    kind: 'Deployment',
    metadata: { ...named(), annotations: { 'gyrarch-cluster': cluster } },
    spec: {
      replicas: 1,
      strategy: { type: 'Recreate' },
      selector: { matchLabels: labels },
      template: {
        metadata: { labels },
        spec: {
          serviceAccountName: name,
          securityContext: {
            runAsNonRoot: true,
            runAsUser: 65_532,
            runAsGroup: 65_532,
            fsGroup: 65_532,
            seccompProfile: { type: 'RuntimeDefault' },
          },
          containers: [
            {
              name: 'agent',
              image,
              command: ['node', '/agent/agent.mjs'],
              env: [
                { name: 'RELAY', value: relay },
                {
                  name: 'TOKEN',
                  valueFrom: { secretKeyRef: { name, key: 'token', optional: true } },
                },
                { name: 'API_URL', value: host },
                { name: 'API_TOKEN_FILE', value: `${mounted}/token` },
                { name: 'API_CA_FILE', value: `${mounted}/ca.crt` },
                { name: 'STATE_DIR', value: '/state' },
                { name: 'CREDENTIAL_SECRET', value: `${space}/${name}` },
              ],
              securityContext: {
                allowPrivilegeEscalation: false,
                readOnlyRootFilesystem: true,
                capabilities: { drop: ['ALL'] },
              },
              resources: {
                requests: { cpu: '20m', memory: '64Mi' },
                limits: { memory: '256Mi' },
              },
              volumeMounts: [
                { name: 'agent', mountPath: '/agent', readOnly: true },
                { name: 'state', mountPath: '/state' },
              ],
            },
          ],
          volumes: [
            { name: 'agent', configMap: { name } },
            { name: 'state', emptyDir: { sizeLimit: '1Mi' } },
          ],
        },
      },
    },
  }
}

/** The manifest, in the order in which it can be applied. */
export function agentManifest(place: AgentPlace): string {
  const subjects = [{ kind: 'ServiceAccount', name, namespace: space }]
  const documents = [
    { apiVersion: 'v1', kind: 'Namespace', metadata: { name: space, labels } },
    { apiVersion: 'v1', kind: 'ServiceAccount', metadata: named() },
    clusterRole(name, readingRules(place.shown)),
    {
      apiVersion: 'rbac.authorization.k8s.io/v1',
      kind: 'ClusterRoleBinding',
      metadata: { name, labels },
      roleRef: { apiGroup: 'rbac.authorization.k8s.io', kind: 'ClusterRole', name },
      subjects,
    },
    {
      apiVersion: 'v1',
      kind: 'Secret',
      metadata: named(),
      type: 'Opaque',
      stringData: { token: place.token },
    },
    {
      apiVersion: 'rbac.authorization.k8s.io/v1',
      kind: 'Role',
      metadata: named(),
      rules: [
        {
          apiGroups: [''],
          resources: ['secrets'],
          resourceNames: [name],
          verbs: ['get', 'patch'],
        },
      ],
    },
    {
      apiVersion: 'rbac.authorization.k8s.io/v1',
      kind: 'RoleBinding',
      metadata: named(),
      roleRef: { apiGroup: 'rbac.authorization.k8s.io', kind: 'Role', name },
      subjects,
    },
    {
      apiVersion: 'v1',
      kind: 'ConfigMap',
      metadata: named(),
      data: { 'agent.mjs': place.program },
    },
    deployment(place),
  ]
  return documents.map((document) => writeYaml(document)).join('---\n')
}
