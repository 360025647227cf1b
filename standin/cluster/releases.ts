/** A cluster that goes from release to release: its control plane one member after the other, its add-ons one by one. */
import { permanent } from '../failures'
import { strike } from '../faults'
import type { Cluster, Fault, OperationFailure } from '../world'
import type { Behaviour } from '../engine/sim'
import { answering } from './api'
import { clusterOf } from './keeping'
import { record } from './pod-events'
import { said } from './says'
import { setControlPlane, watchSkew } from './support'

const minorOf = (release: string): number => Number(release.split('.')[1] ?? 0)

/** How long one member takes (s): its images, its processes, and until it has caught up. */
const memberSeconds = 95

/** One member was moved and is not heard again; of several the others go on answering, an only one is put back. */
function memberSilent(cluster: Cluster, to: string, mode: Fault['mode']): OperationFailure {
  const { name, members, release } = cluster
  const [member = name] = members
  return {
    class: mode,
    reason: 'member-not-back',
    ...said('member-not-back', { member, to }),
    chain: [
      { about: `machine/${cluster.site}/${member}`, ...said('member-waits-for-store', { to }) },
      {
        about: `cluster/${name}`,
        ...(members.length > 1
          ? said('others-hold', { members: members.length, release })
          : said('put-back', { release })),
      },
    ],
  }
}

export const controlPlaneMove: Behaviour<'controlplane.move'> = {
  stages: [
    {
      seconds: 15,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const { to } = op.args
        if (minorOf(to) - minorOf(cluster.release) > 1)
          return permanent('minor-skipped', said('minor-skipped', { from: cluster.release, to }), {
            about: `cluster/${cluster.name}`,
            ...said('one-minor'),
          })
        // Alone it cannot answer while it is restarted; of several the others go on.
        if (cluster.members.length === 1 && cluster.release !== to) {
          cluster.apiUp = false
          sim.touchCluster(cluster.name)
        }
        return said('members-begin', { members: Math.max(1, cluster.members.length), to })
      },
    },
    {
      seconds: (sim, op) =>
        memberSeconds * Math.max(1, sim.cluster(op.args.cluster)?.members.length ?? 1),
      then: (sim, op) => {
        const cluster = clusterOf(sim, op)
        if ('class' in cluster) return cluster
        const { to } = op.args
        const silent = strike(sim, 'member-silent', [`cluster/${cluster.name}`])
        // The only member is put back, so that its API answers again.
        cluster.apiUp = true
        sim.touchCluster(cluster.name)
        if (silent) return memberSilent(cluster, to, silent.mode)
        setControlPlane(sim, cluster, to)
        record(
          sim,
          cluster,
          'Normal',
          'ControlPlaneMoved',
          `cluster/${cluster.name}`,
          `control plane runs ${to}`,
        )
        return said('control-plane-runs', { release: to })
      },
    },
  ],
}

/** How long an agent takes (s): its package, its restart, and until its node is ready. */
const agentSeconds = 75

export const agentMove: Behaviour<'agent.move'> = {
  stages: [
    {
      seconds: agentSeconds,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const { to, node: name } = op.args
        const node = cluster.nodes.find((candidate) => candidate.name === name)
        if (!node)
          return permanent(
            'node-gone',
            said('node-gone.no-node', { cluster: cluster.name, node: name }),
            {
              about: `node/${cluster.name}/${name}`,
              ...said('not-found'),
            },
          )
        if (minorOf(to) > minorOf(cluster.release))
          return permanent(
            'agent-newer',
            said('agent-newer', { node: name, to, release: cluster.release }),
            { about: `node/${cluster.name}/${name}`, ...said('agent-not-above') },
          )
        node.release = to
        watchSkew(sim, cluster)
        sim.touchCluster(cluster.name)
        return said('agent-runs', { node: name, release: to })
      },
    },
  ],
}

export const addOnMove: Behaviour<'addon.move'> = {
  stages: [
    {
      seconds: 60,
      then: (sim, op) => {
        const cluster = answering(sim, op.args.cluster)
        if ('class' in cluster) return cluster
        const { addOn, to } = op.args
        if (cluster.addOns?.[addOn] === undefined)
          return permanent('no-add-on', said('no-add-on', { cluster: cluster.name, addOn }), {
            about: `cluster/${cluster.name}`,
            ...said('not-installed', { addOn }),
          })
        const crash = strike(sim, 'add-on-crashes', [`addon/${cluster.name}/${addOn}`])
        if (crash)
          return {
            class: crash.mode,
            reason: 'add-on-crash',
            ...said('add-on-crash', { addOn, version: to }),
            chain: [
              { about: `addon/${cluster.name}/${addOn}`, ...said('add-on-exits', { version: to }) },
              {
                about: `addon/${cluster.name}/${addOn}`,
                ...said('add-on-stays', { version: cluster.addOns[addOn] }),
              },
            ],
          }
        cluster.addOns = { ...cluster.addOns, [addOn]: to }
        sim.touchCluster(cluster.name)
        return said('add-on-runs', { addOn, version: to })
      },
    },
  ],
}
