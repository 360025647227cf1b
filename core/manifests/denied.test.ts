/** What gets objects past a webhook that knows no newer version, held against the webhook that is asked afterwards. */
import { describe, expect, it } from 'vitest'
import type { Failure } from '../contract'
import { type FleetView, withObjectList } from '../fleet'
import { demoFleet } from '../testing/demo-fleet'
import { applyIntent } from './apply-intent'
import { deniedAnswers } from './denied'

const gate = (rules: readonly object[]) => ({
  apiVersion: 'admissionregistration.k8s.io/v1',
  kind: 'ValidatingWebhookConfiguration',
  metadata: { name: 'gate', uid: 'u-1' },
  webhooks: [
    { name: 'other.fernhollow.example', rules: [] },
    { name: 'gate.fernhollow.example', failurePolicy: 'Fail', rules },
  ],
})
const rule = (versions: readonly string[], resources: readonly string[]) => ({
  apiGroups: ['policy'],
  apiVersions: versions,
  operations: ['CREATE', 'UPDATE'],
  resources,
})
const intent = applyIntent.parse({
  cluster: 'cedar',
  text: 'apiVersion: policy/v1\nkind: PodDisruptionBudget\nmetadata: {name: a, namespace: climate}\nspec: {maxUnavailable: 1}\n',
})
const failure: Failure = {
  class: 'permanent',
  reason: 'webhook-denies',
  code: 'webhook-denies',
  params: { webhook: 'gate.fernhollow.example' },
  says: 'denied',
  chain: [],
}
const viewWith = (rules: readonly object[]): FleetView =>
  withObjectList(demoFleet(), 'cedar', [gate(rules)])

/** The rules of the webhook in the change that is offered. */
function offered(rules: readonly object[]): unknown {
  const [answer] = deniedAnswers(intent, viewWith(rules), failure)
  if (!answer || !('kind' in answer.change)) return null
  const { text } = answer.change.intent as { readonly text: string }
  const written = JSON.parse(text) as ReturnType<typeof gate>
  expect(answer.goesIn?.(withObjectList(demoFleet(), 'cedar', [written]))).toBe(true)
  expect(answer.goesIn?.(viewWith(rules))).toBe(false)
  expect(written.metadata).not.toHaveProperty('uid')
  return written.webhooks[1]?.rules
}

describe('a webhook that refuses a version', () => {
  it('is asked about the versions that it knows alone', () => {
    expect(offered([rule(['v1beta1', 'v1'], ['poddisruptionbudgets'])])).toEqual([
      rule(['v1beta1'], ['poddisruptionbudgets']),
    ])
  })

  it('loses a rule of which nothing is left, and keeps what a rule asks about others', () => {
    expect(offered([rule(['v1'], ['poddisruptionbudgets'])])).toEqual([])
    expect(offered([rule(['v1'], ['poddisruptionbudgets', 'others'])])).toEqual([
      rule(['v1'], ['others']),
    ])
  })

  it('is let be where it failed for something else, or is not there any more', () => {
    const rules = [rule(['v1'], ['poddisruptionbudgets'])]
    expect(
      deniedAnswers(intent, viewWith(rules), { ...failure, reason: 'webhook-silent' }),
    ).toEqual([])
    expect(deniedAnswers(intent, viewWith([]), failure)).toEqual([])
    const gone = withObjectList(demoFleet(), 'cedar', [])
    expect(deniedAnswers(intent, gone, failure)).toEqual([])
  })
})
