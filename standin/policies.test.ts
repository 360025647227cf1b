/** Admission policies of a stand-in cluster: what always refuses is refused with the API’s own words, and what only warns is taken. */
import { expect, it } from 'vitest'
import { demoScenario } from '../server/connectors/standin/demo'
import { buildWorld, Simulator } from '.'

const start = Date.parse('2026-03-02T06:00:00Z')
const admission = 'admissionregistration.k8s.io/v1'

const policy = {
  apiVersion: admission,
  kind: 'ValidatingAdmissionPolicy',
  metadata: { name: 'old-budgets' },
  spec: {
    matchConstraints: {
      resourceRules: [
        {
          apiGroups: ['policy'],
          apiVersions: ['v1beta1'],
          operations: ['CREATE', 'UPDATE'],
          resources: ['poddisruptionbudgets'],
        },
      ],
    },
    validations: [{ expression: 'false', message: 'write policy/v1' }],
  },
}

const binding = (action: string) => ({
  apiVersion: admission,
  kind: 'ValidatingAdmissionPolicyBinding',
  metadata: { name: 'old-budgets' },
  spec: {
    policyName: 'old-budgets',
    validationActions: [action],
    matchResources: {
      namespaceSelector: { matchLabels: { 'kubernetes.io/metadata.name': 'market' } },
    },
  },
})

const budget = (version: string, namespace: string) => ({
  apiVersion: `policy/${version}`,
  kind: 'PodDisruptionBudget',
  metadata: { name: 'gate', namespace },
  spec: { maxUnavailable: 1, selector: { matchLabels: { app: 'gate' } } },
})

function applied(action: string, object: object) {
  const sim = new Simulator(buildWorld(demoScenario(), 20260302), start)
  const apply = (key: string, objects: readonly object[]) => {
    sim.command(key, 'objects.apply', { cluster: 'dill', objects, manager: 'tests', force: [] })
    const until = sim.now + 60_000
    while (sim.now < until) {
      sim.run(until)
      sim.drain()
    }
    return sim.lookup(key)?.failure
  }
  expect(apply('policy', [policy, binding(action)])).toBeFalsy()
  return apply('budget', [object])
}

it('refuses a version that its rules name, in the namespaces of its binding', () => {
  const failure = applied('Deny', budget('v1beta1', 'market'))
  expect(failure?.reason).toBe('policy-refuses')
  expect(failure?.says).toBe(
    "ValidatingAdmissionPolicy 'old-budgets' with binding 'old-budgets' denied request: write policy/v1",
  )
  expect(applied('Deny', budget('v1', 'market'))).toBeFalsy()
  expect(applied('Deny', budget('v1beta1', 'climate'))).toBeFalsy()
})

it('takes what it only warns of', () => {
  expect(applied('Warn', budget('v1beta1', 'market'))).toBeFalsy()
})
