/** The building blocks of provisioning plans: retry policies, estimates in seconds, and step makers. */
import type { Estimate, RetryPolicy, Step, StepId } from '../changes'

/** Work on a site’s own devices: an answer that says “try again” is worth eight tries over some ten minutes. */
export const siteRetry: RetryPolicy = { attempts: 8, firstSeconds: 15, mostSeconds: 120 }

export const askRetry: RetryPolicy = { attempts: 5, firstSeconds: 10, mostSeconds: 60 }

/** Medians and 95th percentiles, measured on past runs at sites of each kind. */
export const estimates = {
  ledger: { likely: 1, worst: 3 },
  dialIn: { likely: 5, worst: 25 },
  /** Somebody has to start the agent first. */
  dialOut: { likely: 300, worst: 3600 },
  holdAddresses: { likely: 5, worst: 15 },
  managedControlPlane: { likely: 300, worst: 480 },
  createInHall: { likely: 95, worst: 180 },
  createInCloud: { likely: 60, worst: 120 },
  bootInHall: { likely: 200, worst: 330 },
  bootInCloud: { likely: 130, worst: 220 },
  installBox: { likely: 260, worst: 420 },
  bootBox: { likely: 240, worst: 400 },
  startApi: { likely: 120, worst: 210 },
  joinControlPlane: { likely: 100, worst: 170 },
  joinNode: { likely: 55, worst: 110 },
  leaveNode: { likely: 18, worst: 60 },
  addOns: { likely: 90, worst: 170 },
  revokeTokens: { likely: 2, worst: 6 },
  askDns: { likely: 4, worst: 12 },
  tryPod: { likely: 20, worst: 45 },
  closeCluster: { likely: 40, worst: 90 },
  deleteMachine: { likely: 35, worst: 80 },
  clearBox: { likely: 60, worst: 120 },
  deleteControlPlane: { likely: 120, worst: 240 },
  placeImage: { likely: 260, worst: 430 },
  publishBootData: { likely: 6, worst: 20 },
  awaitCall: { likely: 300, worst: 1800 },
  takeBox: { likely: 50, worst: 120 },
  balancer: { likely: 20, worst: 60 },
  drainNode: { likely: 40, worst: 240 },
  restartMachine: { likely: 105, worst: 200 },
  renewCertificates: { likely: 60, worst: 150 },
  takeBackup: { likely: 30, worst: 90 },
  tryBackup: { likely: 45, worst: 120 },
  restoreBackup: { likely: 75, worst: 180 },
  releaseAddresses: { likely: 4, worst: 12 },
} as const satisfies Record<string, Estimate>

/** A step whose retry policy may be left to the usual one. */
export type StepParts = Omit<Step, 'retry'> & { readonly retry?: RetryPolicy }

export const step = ({ retry = siteRetry, ...parts }: StepParts): Step => ({ ...parts, retry })

/** An argument that stands for a value out of an earlier step’s result. */
export const from = (
  stepId: StepId,
  path: string,
): { readonly $from: StepId; readonly path: string } => ({ $from: stepId, path })
