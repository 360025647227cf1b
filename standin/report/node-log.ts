/** What the services of a node, or of a control plane, have written lately: derived from how they are, the same whenever asked. */
import { isoTime } from '../../core/units'
import { killLine } from '../cluster/ailing'
import { workloadOf } from '../cluster/fits'
import { membersUp } from '../cluster/api'
import type { Sim } from '../engine/sim'
import { uniform } from '../engine/random'
import { apiAt } from '../traffic/reach'
import type { Ailment, Cluster, Node } from '../world'

interface Line {
  readonly at: number
  readonly says: string
}

const stepMs = 60_000
const hourMs = 3_600_000

/** As the agent writes its lines: a letter for how grave it is, month and day, and the time. */
function agentLine(at: number, says: string, letter: 'I' | 'E' = 'E'): Line {
  const iso = isoTime(at)
  return {
    at,
    says: `${letter}${iso.slice(5, 7)}${iso.slice(8, 10)} ${iso.slice(11, 19)}.000000    1204 ${says}`,
  }
}

const stampedLine = (at: number, says: string): Line => ({ at, says: `${isoTime(at)} ${says}` })

/** A line every so often since something began, no longer than an hour back. */
function every(sim: Sim, since: number, makes: (at: number) => Line): readonly Line[] {
  const first = Math.max(since, sim.now - hourMs)
  const from = Math.ceil(first / stepMs) * stepMs
  const lines: Line[] = since >= first ? [makes(since)] : []
  for (let at = from; at <= sim.now; at += stepMs) lines.push(makes(at))
  return lines
}

const apiUrl = (sim: Sim, cluster: Cluster): { readonly host: string; readonly url: string } => {
  const api = apiAt(sim, cluster)
  const host = api ? `${api.address}:${api.port}` : cluster.endpoint.replace(/^https:\/\//, '')
  return { host, url: `https://${host}` }
}

function ailmentLines(
  sim: Sim,
  cluster: Cluster,
  node: Node,
  of: Ailment,
  since: number,
): readonly Line[] {
  const { url } = apiUrl(sim, cluster)
  const tls = 'tls: failed to verify certificate: x509: certificate has expired or is not yet valid'
  switch (of) {
    case 'runtime':
      return [
        stampedLine(
          since,
          `${node.name} systemd[1]: containerd.service: Main process exited, code=killed, status=6/ABRT`,
        ),
        ...every(sim, since, (at) =>
          agentLine(
            at,
            'remote_runtime.go:222] "Status from runtime service failed" err="rpc error: code = Unavailable desc = connection error: desc = \\"transport: Error while dialing: dial unix /run/containerd/containerd.sock: connect: connection refused\\""',
          ),
        ),
      ]
    case 'agent':
      return [
        stampedLine(
          since,
          `${node.name} systemd[1]: Stopping kubelet.service - the Kubernetes node agent...`,
        ),
        stampedLine(
          since,
          `${node.name} systemd[1]: Stopped kubelet.service - the Kubernetes node agent.`,
        ),
      ]
    case 'clock':
      return every(sim, since, (at) =>
        agentLine(
          at,
          `controller.go:145] "Failed to ensure lease exists, will retry" err="Get \\"${url}/apis/coordination.k8s.io/v1/namespaces/kube-node-lease/leases/${node.name}\\": ${tls}: current time 2019-01-01T00:04:11Z is before ${isoTime(cluster.createdAt)}"`,
        ),
      )
    case 'certificate':
      return every(sim, since, (at) =>
        agentLine(
          at,
          `kubelet_node_status.go:540] "Error updating node status, will retry" err="error getting node \\"${node.name}\\": Get \\"${url}/api/v1/nodes/${node.name}\\": ${tls}: current time ${isoTime(at)} is after ${isoTime(since)}"`,
        ),
      )
    case 'disk':
      return every(sim, since, (at) =>
        agentLine(
          at,
          'image_gc_manager.go:319] "Image garbage collection failed" err="failed to remove image: write /var/lib/containerd/metadata.db: no space left on device"',
        ),
      )
    case 'memory':
      return every(sim, since, (at) =>
        agentLine(
          at,
          'eviction_manager.go:387] "Eviction manager: attempting to reclaim" resourceName="memory"',
          'I',
        ),
      )
  }
}

/** What the kernel of a node tells of processes that it ended for want of memory. */
const kills = (sim: Sim, cluster: Cluster, node: Node): readonly Line[] =>
  cluster.running.flatMap((pod) => {
    if (pod.node !== node.name || !pod.last) return []
    const workload = workloadOf(cluster, pod)
    return workload?.ailing?.of === 'memory'
      ? [
          stampedLine(
            pod.last.at,
            `${node.name} kernel: ${killLine(sim.world.seed, workload, pod)}`,
          ),
        ]
      : []
  })

const plain = [
  '"SyncLoop (PLEG): event for pod"',
  '"Observed pod startup duration"',
  '"Updated machine memory state"',
  '"Housekeeping took"',
]

/** What the services of a node have written lately, oldest first; null where there is no such node, or its machine is off. */
function nodeLines(sim: Sim, cluster: Cluster, name: string): readonly Line[] | null {
  const node = cluster.nodes.find((each) => each.name === name)
  const machine = sim.site(cluster.site)?.machines.find((each) => each.name === node?.machine)
  if (!node || !machine || machine.power !== 'on') return null
  const { host, url } = apiUrl(sim, cluster)
  const stopped = machine.ailments?.agent ?? Infinity
  const usual = every(sim, sim.now - 600_000, (at) => {
    const nth = Math.floor(uniform(sim.world.seed, `${name}/${at}`) * plain.length)
    return agentLine(at, `kubelet.go:2453] ${plain[nth] ?? ''}`, 'I')
  }).filter(({ at }) => at < stopped)
  const cut = machine.cutOff === true ? (machine.offSince ?? sim.now) : null
  return [
    ...usual,
    ...(cut === null
      ? []
      : every(sim, cut, (at) =>
          agentLine(
            at,
            `controller.go:145] "Failed to ensure lease exists, will retry" err="Get \\"${url}/apis/coordination.k8s.io/v1/namespaces/kube-node-lease/leases/${name}\\": dial tcp ${host}: i/o timeout"`,
          ),
        )),
    ...Object.entries(machine.ailments ?? {}).flatMap(([of, since]) =>
      ailmentLines(sim, cluster, node, of as Ailment, since),
    ),
    ...kills(sim, cluster, node),
  ]
}

const storeLine = (at: number, msg: string, more: Readonly<Record<string, string>> = {}): Line => ({
  at,
  says: JSON.stringify({ level: 'warn', ts: isoTime(at), caller: 'etcdserver', msg, ...more }),
})

/** What the parts of a control plane have written lately. */
function controlPlaneLines(sim: Sim, cluster: Cluster): readonly Line[] {
  const since = (kind: string): number | undefined =>
    sim.world.faults.find(
      (fault) => fault.kind === kind && fault.about === `cluster/${cluster.name}`,
    )?.since
  const slow = since('state-store-slow')
  const full = since('state-store-full')
  const flooded = since('api-flooded')
  const silent = cluster.managed
    ? []
    : (sim.site(cluster.site)?.machines ?? []).filter(
        (machine) => cluster.members.includes(machine.name) && machine.power !== 'on',
      )
  const hasQuorum = cluster.managed || membersUp(sim, cluster) * 2 > cluster.members.length
  const ended = cluster.certificatesUntil <= sim.now ? cluster.certificatesUntil : undefined
  return [
    ...(slow === undefined
      ? []
      : every(sim, slow, (at) =>
          storeLine(at, 'slow fdatasync', { took: '2.413s', 'expected-duration': '1s' }),
        )),
    ...(slow === undefined
      ? []
      : every(sim, slow, (at) =>
          storeLine(
            at,
            'leader failed to send out heartbeat on time; took too long, leader is overloaded likely from slow disk',
          ),
        )),
    ...(full === undefined
      ? []
      : every(sim, full, (at) => storeLine(at, 'etcdserver: mvcc: database space exceeded'))),
    ...(flooded === undefined
      ? []
      : every(sim, flooded, (at) =>
          agentLine(
            at,
            'wrap.go:54] "Request rejected by priority and fairness" verb="LIST" URI="/api/v1/pods" code=429 reason="Too many requests, please try again later"',
          ),
        )),
    ...silent.flatMap((machine) =>
      every(sim, machine.offSince ?? sim.now, (at) =>
        storeLine(at, 'prober detected unhealthy status', {
          'remote-peer-id': machine.name,
          error: `dial tcp ${machine.address ?? ''}:2380: connect: no route to host`,
        }),
      ),
    ),
    ...(hasQuorum || silent.length === 0
      ? []
      : every(sim, Math.max(...silent.map((machine) => machine.offSince ?? 0)), (at) =>
          storeLine(at, 'etcdserver: no leader'),
        )),
    ...(ended === undefined
      ? []
      : every(sim, ended, (at) =>
          agentLine(
            at,
            `authentication.go:73] "Unable to authenticate the request" err="x509: certificate has expired or is not yet valid: current time ${isoTime(at)} is after ${isoTime(ended)}"`,
          ),
        )),
  ]
}

/** Lines of the services of a node, or of the control plane where none is named; the last so many, oldest first. */
export function nodeLog(
  sim: Sim,
  clusterName: string,
  node: string | null,
  count: number,
): readonly string[] | null {
  const cluster = sim.cluster(clusterName)
  if (!cluster) return null
  const lines = node === null ? controlPlaneLines(sim, cluster) : nodeLines(sim, cluster, node)
  return (
    lines
      ?.toSorted((a, b) => a.at - b.at)
      .slice(-count)
      .map(({ says }) => says) ?? null
  )
}
