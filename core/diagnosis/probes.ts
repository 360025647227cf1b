/** What to look at next where causes are not told apart. */
import type { CauseCode } from './causes'
import type { Ref } from './facts'
import { said } from './says'

export interface Probe {
  /** What is looked at: `events`, `pod-log`, `node-log`, `reach`, `store`. */
  readonly probe: 'events' | 'pod-log' | 'node-log' | 'reach' | 'store'
  readonly says: string
  /** What is looked at. */
  readonly about: Ref
}

const byCause: Partial<Record<CauseCode, Probe['probe']>> = {
  crash: 'pod-log',
  'init-failing': 'pod-log',
  'liveness-probe': 'pod-log',
  'readiness-probe': 'pod-log',
  'startup-probe': 'pod-log',
  'registry-unreachable': 'reach',
  'sandbox-network': 'node-log',
  'network-plugin-broken': 'node-log',
  'node-lost': 'node-log',
  'store-slow': 'store',
  'member-down': 'store',
  'quorum-lost': 'store',
  'endpoints-not-ready': 'pod-log',
}

const usual = (about: Ref): Probe['probe'] => {
  if (about.startsWith('node/')) return 'node-log'
  return about === 'cluster' ? 'store' : 'events'
}

/** The probe that tells the first cause from the others; of a subject without any, what says most. */
export function nextProbe(
  about: Ref,
  causes: readonly { readonly cause: CauseCode; readonly about: Ref }[],
): Probe {
  const [first] = causes
  const probe = (first && byCause[first.cause]) ?? usual(about)
  const at = first?.about ?? about
  return { probe, says: said(`probe.${probe}`, { about: at }).says, about: at }
}
