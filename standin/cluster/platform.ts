/** The platform’s own workloads, which every cluster runs. */
import { MiB } from '../../core/units'
import type { Workload } from '../world'

type Part = Pick<Workload, 'name' | 'kind' | 'replicas' | 'cpuMilli' | 'port'> & {
  readonly memoryMiB: number
}

/** Started with the API, before any node is ready: without it no pod has a network. */
const network: Part = {
  name: 'pod-network',
  kind: 'DaemonSet',
  replicas: 0,
  cpuMilli: 110,
  memoryMiB: 128,
  port: null,
}

const addOns: readonly Part[] = [
  { name: 'dns', kind: 'Deployment', replicas: 2, cpuMilli: 100, memoryMiB: 128, port: 53 },
  { name: 'ingress', kind: 'Deployment', replicas: 2, cpuMilli: 250, memoryMiB: 256, port: 443 },
  {
    name: 'policy-webhook',
    kind: 'Deployment',
    replicas: 2,
    cpuMilli: 100,
    memoryMiB: 128,
    port: 9443,
  },
  { name: 'metrics', kind: 'Deployment', replicas: 1, cpuMilli: 200, memoryMiB: 400, port: 4443 },
  {
    name: 'log-shipping',
    kind: 'DaemonSet',
    replicas: 0,
    cpuMilli: 100,
    memoryMiB: 200,
    port: null,
  },
]

const workload = (part: Part, at: number): Workload => ({
  namespace: 'platform',
  name: part.name,
  kind: part.kind,
  replicas: part.replicas,
  cpuMilli: part.cpuMilli,
  memoryBytes: part.memoryMiB * MiB,
  gpus: 0,
  image: `registry.fernhollow.example/platform/${part.name}:1`,
  serviceAccount: part.name,
  port: part.port,
  tolerations: [],
  pool: null,
  createdAt: at,
})

export const networkWorkload = (at: number): Workload => workload(network, at)
export const addOnWorkloads = (at: number): readonly Workload[] =>
  addOns.map((part) => workload(part, at))
