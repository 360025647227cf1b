/** A policy webhook that is behind: it decodes what it is asked about, and knows no version that came after it was built. */
import type { Manifest } from '../world'

/** The configuration that has it asked, and its name in that. */
export const agedGate = 'orchard-gate-objects'
export const agedWebhook = 'objects.orchard-gate.fernhollow.example'

const unknownVersions: Readonly<Record<string, string>> = {
  PodDisruptionBudget: 'policy/v1',
  HorizontalPodAutoscaler: 'autoscaling/v2',
  CronJob: 'batch/v1',
  Ingress: 'networking.k8s.io/v1',
}

/** Whether an object is written in a version that such a webhook cannot decode. */
export const isBeyondGate = ({ kind, apiVersion }: Manifest): boolean =>
  Object.hasOwn(unknownVersions, kind) && unknownVersions[kind] === apiVersion
