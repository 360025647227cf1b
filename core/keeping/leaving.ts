/** Steps by which a node leaves its cluster and its machine its site. */

import type { StepId, Step } from '../changes'
import { command } from '../contract'
import { step, estimates } from '../provisioning'
import { askRetry } from '../provisioning/steps'

/** Closed before any node is emptied, so that no pod moves to one that leaves as well. */
export const close = (cluster: string, node: string): Step =>
  step({
    id: `close:${node}`,
    after: [],
    group: node,
    says: 'takes no new pods',
    command: command('node.cordon', { cluster, node }),
    undo: command('node.uncordon', { cluster, node }),
    seconds: { likely: 2, worst: 8 },
    retry: askRetry,
  })

export const open = (cluster: string, node: string, after: readonly StepId[]): Step =>
  step({
    id: `open:${node}`,
    after,
    group: node,
    says: 'takes pods again',
    command: command('node.uncordon', { cluster, node }),
    seconds: { likely: 2, worst: 8 },
    retry: askRetry,
  })

export const drain = (
  cluster: string,
  node: string,
  after: readonly StepId[],
  allowLocalData = true,
): Step =>
  step({
    id: `drain:${node}`,
    after,
    group: node,
    says: 'cordon, move its pods away',
    command: command('node.drain', { cluster, node, allowLocalData }),
    undo: command('node.uncordon', { cluster, node }),
    seconds: estimates.drainNode,
    retry: askRetry,
  })

export const leave = (cluster: string, node: string, after: readonly StepId[]): Step =>
  step({
    id: `leave:${node}`,
    after,
    group: node,
    says: 'leave the cluster',
    command: command('node.remove', { cluster, node }),
    final: true,
    seconds: estimates.leaveNode,
    retry: askRetry,
  })

export const remove = (site: string, machine: string, after: readonly StepId[]): Step =>
  step({
    id: `delete:${machine}`,
    after,
    group: machine,
    says: 'delete the machine and its disk',
    command: command('machine.delete', { site, name: machine }),
    final: true,
    seconds: estimates.deleteMachine,
  })
