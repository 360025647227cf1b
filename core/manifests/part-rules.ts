/**
 * What fields of one part of an object say of each other, by the names of the published schemas, so that a rule holds
 * wherever such a part stands. Source: the API reference of Kubernetes and its validation.
 */
import { parseAddress, parseCidr, parseRange } from '../addresses'
import type { Said } from '../contract'
import { asText, isRecord, list, record } from '../objects'
import { said } from './says'
import { isPortName } from './values'

const words = (text: string): readonly string[] => text.split(' ')

export interface PartWrong extends Said {
  /** Below the part: `name`, `mountPath` …; empty for the part itself. */
  readonly field: string
}

type Part = Readonly<Record<string, unknown>>

const given = (part: Part, fields: readonly string[]): readonly string[] =>
  fields.filter((field) => part[field] !== undefined && part[field] !== null)

/** Exactly one of some fields is given. */
function onlyOne(part: Part, fields: readonly string[], what: string): readonly PartWrong[] {
  const there = given(part, fields)
  if (there.length === 1) return []
  return [{ field: there[1] ?? '', ...said('part-only-one', { what, fields, there }) }]
}

const handlers = words('exec httpGet tcpSocket grpc')

function selectorRequirement(part: Part): readonly PartWrong[] {
  const operator = asText(part['operator'])
  const count = list(part['values']).length
  if ((operator === 'In' || operator === 'NotIn') && count === 0)
    return [{ field: 'values', ...said('selector-values', { operator }) }]
  if ((operator === 'Exists' || operator === 'DoesNotExist') && count > 0)
    return [{ field: 'values', ...said('selector-no-values', { operator }) }]
  if ((operator === 'Gt' || operator === 'Lt') && count !== 1)
    return [{ field: 'values', ...said('selector-one-value', { operator }) }]
  return []
}

function twice(items: unknown, field: string, path: string, what: string): readonly PartWrong[] {
  const seen = new Set<unknown>()
  return list(items).flatMap((item, i): readonly PartWrong[] => {
    const name = record(item)[field]
    if (name === undefined || name === null || name === '') return []
    if (!seen.has(name)) {
      seen.add(name)
      return []
    }
    return [
      { field: `${path}[${i}].${field}`, ...said('part-twice', { what, name: asText(name) }) },
    ]
  })
}

const keyOfData = /^[-._a-zA-Z0-9]+$/

const cidrs = (items: unknown, field: string): readonly PartWrong[] =>
  list(items).flatMap((item, i): readonly PartWrong[] =>
    typeof item !== 'string' || parseCidr(item).ok
      ? []
      : [{ field: `${field}[${i}]`, ...said('part-cidr', { range: item }) }],
  )

/** What the fields of a part say of each other, by the name of its schema. */
const partRules: Readonly<Record<string, (part: Part) => readonly PartWrong[]>> = {
  'v1/Probe': (part) => onlyOne(part, handlers, 'probe'),
  'v1/LifecycleHandler': (part) => onlyOne(part, words('exec httpGet tcpSocket sleep'), 'handler'),
  'v1/Volume': (part) =>
    onlyOne(
      part,
      Object.keys(part).filter((field) => field !== 'name').length === 0
        ? words('emptyDir configMap secret persistentVolumeClaim')
        : Object.keys(part).filter((field) => field !== 'name'),
      'volume',
    ),
  'v1/EnvVarSource': (part) =>
    onlyOne(part, words('fieldRef resourceFieldRef configMapKeyRef secretKeyRef'), 'source'),
  'v1/EnvVar': (part) =>
    part['valueFrom'] !== undefined && typeof part['value'] === 'string' && part['value'] !== ''
      ? [{ field: 'valueFrom', ...said('env-both', { name: asText(part['name']) }) }]
      : [],
  'v1/Container': (part) => [
    ...twice(part['volumeMounts'], 'mountPath', 'volumeMounts', 'mount path'),
    ...twice(part['ports'], 'name', 'ports', 'port name'),
    ...list(part['ports']).flatMap((entry, i): readonly PartWrong[] => {
      const { name } = record(entry)
      return typeof name === 'string' && !isPortName(name)
        ? [{ field: `ports[${i}].name`, ...said('port-name', { name }) }]
        : []
    }),
    ...words('livenessProbe startupProbe').flatMap((field): readonly PartWrong[] => {
      const { successThreshold } = record(part[field])
      return typeof successThreshold === 'number' && successThreshold > 1
        ? [{ field: `${field}.successThreshold`, ...said('probe-success', { field }) }]
        : []
    }),
  ],
  'v1/PodSpec': (part) => [
    ...twice(part['volumes'], 'name', 'volumes', 'volume'),
    ...(part['hostNetwork'] === true
      ? list(part['containers']).flatMap((container, c) =>
          list(record(container)['ports']).flatMap((entry, p): readonly PartWrong[] => {
            const { hostPort, containerPort } = record(entry)
            return typeof hostPort === 'number' && hostPort !== 0 && hostPort !== containerPort
              ? [
                  {
                    field: `containers[${c}].ports[${p}].hostPort`,
                    ...said('host-port-differs', {
                      hostPort,
                      containerPort: Number(containerPort),
                    }),
                  },
                ]
              : []
          }),
        )
      : []),
  ],
  'v1/Toleration': (part) => {
    if (part['operator'] === 'Exists' && typeof part['value'] === 'string' && part['value'] !== '')
      return [{ field: 'value', ...said('toleration-value') }]
    if ((part['key'] === undefined || part['key'] === '') && part['operator'] !== 'Exists')
      return [{ field: 'operator', ...said('toleration-key') }]
    return part['tolerationSeconds'] !== undefined &&
      part['tolerationSeconds'] !== null &&
      part['effect'] !== 'NoExecute'
      ? [{ field: 'effect', ...said('toleration-seconds') }]
      : []
  },
  'v1/NodeSelectorRequirement': selectorRequirement,
  'meta/apis/meta/v1/LabelSelectorRequirement': selectorRequirement,
  'apps/v1/DeploymentStrategy': (part) => {
    const rolling = record(part['rollingUpdate'])
    if (part['type'] === 'Recreate' && isRecord(part['rollingUpdate']))
      return [{ field: 'rollingUpdate', ...said('strategy-recreate') }]
    const isZero = (value: unknown): boolean => value === 0 || value === '0%'
    return isZero(rolling['maxSurge']) && isZero(rolling['maxUnavailable'])
      ? [{ field: 'rollingUpdate.maxUnavailable', ...said('strategy-stands-still') }]
      : []
  },
  'apps/v1/DeploymentSpec': (part) => {
    const deadline = part['progressDeadlineSeconds']
    const ready = part['minReadySeconds']
    return typeof deadline === 'number' && typeof ready === 'number' && deadline <= ready
      ? [{ field: 'progressDeadlineSeconds', ...said('deadline-too-short', { ready }) }]
      : []
  },
  'networking.k8s.io/v1/NetworkPolicyPeer': (part) => {
    const others = given(part, words('podSelector namespaceSelector'))
    if (part['ipBlock'] !== undefined && part['ipBlock'] !== null && others.length > 0)
      return [{ field: 'ipBlock', ...said('peer-block-alone') }]
    return part['ipBlock'] === undefined && others.length === 0
      ? [{ field: '', ...said('peer-empty') }]
      : []
  },
  'networking.k8s.io/v1/IPBlock': (part) => {
    const cidr = typeof part['cidr'] === 'string' ? parseCidr(part['cidr']) : null
    if (!cidr) return []
    if (!cidr.ok) return [{ field: 'cidr', ...said('part-cidr', { range: asText(part['cidr']) }) }]
    return [
      ...cidrs(part['except'], 'except'),
      ...list(part['except']).flatMap((item, i): readonly PartWrong[] => {
        const inner = typeof item === 'string' ? parseRange(item) : null
        return inner?.ok &&
          (inner.value.family !== cidr.value.family ||
            inner.value.first < cidr.value.first ||
            inner.value.last > cidr.value.last ||
            (inner.value.first === cidr.value.first && inner.value.last === cidr.value.last))
          ? [
              {
                field: `except[${i}]`,
                ...said('block-except', { except: asText(item), cidr: asText(part['cidr']) }),
              },
            ]
          : []
      }),
    ]
  },
  'networking.k8s.io/v1/NetworkPolicyPort': (part) => {
    const { port: first, endPort } = part
    if (endPort === undefined || endPort === null) return []
    return typeof first !== 'number' || (typeof endPort === 'number' && endPort < first)
      ? [{ field: 'endPort', ...said('end-port') }]
      : []
  },
  'networking.k8s.io/v1/ServiceBackendPort': (part) =>
    onlyOne(part, words('name number'), 'backend port'),
  'networking.k8s.io/v1/HTTPIngressPath': (part) =>
    typeof part['path'] === 'string' &&
    part['pathType'] !== 'ImplementationSpecific' &&
    !part['path'].startsWith('/')
      ? [{ field: 'path', ...said('ingress-path', { path: part['path'] }) }]
      : [],
  'v1/ServiceSpec': (part) => {
    const { clusterIP } = part
    const address =
      typeof clusterIP === 'string' && clusterIP !== '' && clusterIP !== 'None'
        ? parseAddress(clusterIP)
        : null
    return [
      ...(address && !address.ok
        ? [{ field: 'clusterIP', ...said('part-address', { address: asText(clusterIP) }) }]
        : []),
      ...cidrs(part['loadBalancerSourceRanges'], 'loadBalancerSourceRanges'),
      ...twice(part['ports'], 'name', 'ports', 'port name'),
      ...twice(
        list(part['ports']).map((entry) => {
          const { nodePort, protocol } = record(entry)
          return {
            nodePort:
              nodePort === undefined || nodePort === 0
                ? undefined
                : `${asText(nodePort)}/${asText(protocol ?? 'TCP')}`,
          }
        }),
        'nodePort',
        'ports',
        'port of the nodes',
      ),
      ...(part['type'] === undefined || part['type'] === 'ClusterIP'
        ? list(part['ports']).flatMap((entry, i): readonly PartWrong[] => {
            const { nodePort } = record(entry)
            return typeof nodePort === 'number' && nodePort !== 0
              ? [{ field: `ports[${i}].nodePort`, ...said('node-port-type') }]
              : []
          })
        : []),
    ]
  },
  'v1/PersistentVolumeClaimSpec': (part) => [
    ...(list(part['accessModes']).length === 0
      ? [{ field: 'accessModes', ...said('claim-modes') }]
      : []),
    ...(record(record(part['resources'])['requests'])['storage'] === undefined
      ? [{ field: 'resources.requests.storage', ...said('claim-size') }]
      : []),
  ],
  'v1/ConfigMap': (part) => [...dataKeys(part, 'data'), ...dataKeys(part, 'binaryData')],
  'v1/Secret': (part) => [
    ...dataKeys(part, 'data'),
    ...dataKeys(part, 'stringData'),
    ...(part['type'] === 'kubernetes.io/tls'
      ? words('tls.crt tls.key').flatMap((key): readonly PartWrong[] =>
          record(part['data'])[key] === undefined && record(part['stringData'])[key] === undefined
            ? [{ field: 'data', ...said('secret-needs', { key, type: part['type'] as string }) }]
            : [],
        )
      : []),
  ],
}

function dataKeys(part: Part, field: string): readonly PartWrong[] {
  return Object.keys(record(part[field])).flatMap((key): readonly PartWrong[] =>
    keyOfData.test(key) && key.length <= 253 && key !== '.' && key !== '..'
      ? []
      : [{ field: `${field}["${key}"]`, ...said('data-key', { key }) }],
  )
}

/** What is wrong between the fields of a part. */
export const partWrongs = (type: string, part: Part): readonly PartWrong[] =>
  Object.hasOwn(partRules, type) ? (partRules[type]?.(part) ?? []) : []
