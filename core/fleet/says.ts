/** The sentences of this area, by the code of what they tell. */
import { sentences } from '../contract/said'
import { cronText } from '../objects'
import { listText } from '../units'

export const said = sentences({
  // state
  'node.not-ready': (p: { status: string; message: string }) =>
    `Ready is ${p.status}: ${p.message}`,
  'node.no-ready-condition': () => 'It has no Ready condition.',
  'not-observed': (p: { silent: string }) =>
    p.silent === '' ? 'Not observed yet.' : `Not observed since ${p.silent}.`,
  'node.pressure': (p: { type: string; message: string }) => `${p.type}: ${p.message}`,
  'node.cordoned': () => 'Cordoned, and no change is at work on it.',
  'node.release-skew': (p: { release: string; clusterRelease: string }) =>
    `Agent ${p.release} is outside the permitted skew of API ${p.clusterRelease}.`,
  'change-at-work': () => 'A running change is at work on it.',
  'node.well': () => 'Ready, without pressure.',
  'pool.nodes-broken': (p: { broken: number; statesCount: number }) =>
    p.statesCount === 1
      ? 'Its only node is broken.'
      : `${p.broken} of ${p.statesCount} nodes ${p.broken === 1 ? 'is' : 'are'} broken.`,
  'pool.not-observed': () => 'None of its nodes was observed lately.',
  'pool.nodes-unwell': (p: { unwell: number; statesCount: number }) =>
    p.statesCount === 1
      ? 'Its only node is not well.'
      : `${p.unwell} of ${p.statesCount} nodes ${p.unwell === 1 ? 'is' : 'are'} not well.`,
  'pool.empty': () => 'It has no nodes now.',
  'pool.well': (p: { statesCount: number }) =>
    p.statesCount === 1 ? 'Its only node is well.' : `All ${p.statesCount} nodes are well.`,
  'cluster.stopped': () => 'Stopped by a change.',
  'cluster.rests': (p: { until: string; zone: string }) =>
    `At rest by its calendar until ${p.until} (${p.zone}).`,
  'cluster.coming-up': () => 'A running change is at work on it; its API does not answer yet.',
  'cluster.api-silent': (p: { endpoint: string }) => `Its API at ${p.endpoint} does not answer.`,
  'cluster.quorum-lost': (p: { membersUp: number; members: number }) =>
    `Quorum is lost: ${p.membersUp} of ${p.members} control-plane members answer.`,
  'cluster.nodes-down': (p: { nodes: number }) =>
    p.nodes === 1 ? 'Its only node is down.' : `All ${p.nodes} nodes are down.`,
  'cluster.pools-unwell': (p: { unwell: readonly string[] }) =>
    `Not well: pool ${p.unwell.join(', ')}.`,
  'cluster.volumes-lost': (p: { volumes: readonly string[] }) =>
    `No copy of ${listText(p.volumes, 3)} answers.`,
  'cluster.volumes-short': (p: { volumes: readonly string[] }) =>
    `${listText(p.volumes, 3)} ${p.volumes.length === 1 ? 'lacks' : 'lack'} a copy.`,
  'cluster.well': () => 'Its API answers and every pool is well.',
  'site.empty': () => 'It holds no cluster.',
  'site.clusters-broken': () => 'All of its clusters are broken.',
  'site.cluster-broken': (p: { cluster: string }) => `${p.cluster} is broken.`,
  'site.well': () => 'All of its clusters are well.',
  'site.worst': (p: { worst: string; worstSays: string }) => `${p.worst}: ${p.worstSays}`,

  // workloads
  'workload.waits': (p: { pod: string; waits: string }) => `${p.pod}: ${p.waits}`,
  'workload.at': (p: { schedule: string; timeZone: string }) =>
    `${cronText(p.schedule)}${p.timeZone === '' ? '' : ` in ${p.timeZone}`}`,
  'workload.ready': () => 'all ready',
  'workload.starting': (p: { wanted: number }) => `${p.wanted} still starting`,
})
