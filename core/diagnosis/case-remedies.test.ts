/** What is offered about a cause of a node: only what, computed again, takes it away. */
import { describe, expect, it } from 'vitest'
import { caseRemedies } from './case-remedies'
import { diagnosisOf, lookAgain } from './diagnose'
import { Evidence } from './facts'
import { ago, node, now, pod } from './testing/exports'

const down = {
  type: 'Ready',
  status: 'False',
  reason: 'KubeletNotReady',
  message: 'container runtime is down',
}

const runtimeDown = (objects: readonly unknown[], subject = 'node/n1') => {
  const evidence = new Evidence(objects, [], Date.parse(now))
  const causes = diagnosisOf(evidence, 'node/n1')?.causes ?? []
  const cause = causes.find((each) => each.cause === 'runtime-down')
  if (!cause) throw new Error('its runtime is not down')
  return caseRemedies(evidence, 'cedar', subject, cause, lookAgain(evidence, subject))
}

describe('a node whose runtime is down', () => {
  it('is offered a start, with which nothing is left', () => {
    expect(runtimeDown([node([down])])).toEqual([
      {
        code: 'case.restart',
        params: { node: 'n1' },
        says: 'Restart the machine of n1',
        because:
          'runtime, agent and clock begin anew with it; computed again with it, the cause is gone',
        change: { kind: 'machine.restart', intent: { cluster: 'cedar', node: 'n1' } },
      },
    ])
  })

  it('is told what a start leaves: a closed node takes no pods afterwards either', () => {
    const [remedy] = runtimeDown([node([down], { unschedulable: true })])
    expect(remedy?.because).toMatch(/this is left: .*n1/)
  })

  it('has its pods well again with it', () => {
    const owner = [{ apiVersion: 'apps/v1', kind: 'ReplicaSet', name: 'api', controller: true }]
    const set = {
      apiVersion: 'apps/v1',
      kind: 'ReplicaSet',
      metadata: { name: 'api', namespace: 'market', uid: 'r1' },
      spec: { replicas: 1 },
      status: { replicas: 1 },
    }
    const stopped = pod({
      metadata: { ownerReferences: owner },
      status: { phase: 'Running', conditions: [{ type: 'Ready', status: 'False' }] },
    })
    const [remedy] = runtimeDown([node([down]), set, stopped], 'replicaset/market/api')
    expect(remedy?.because).toMatch(/the cause is gone$/)
  })
})

it('a certificate that has ended asks for another machine', () => {
  const silent = {
    type: 'Ready',
    status: 'Unknown',
    reason: 'NodeStatusUnknown',
    message: 'Kubelet stopped posting node status.',
  }
  const line = `${ago(5)} x509: certificate has expired or is not yet valid: current time 2026-03-02T06:00:00Z is after 2026-03-01T00:00:00Z`
  const evidence = new Evidence(
    [node([silent])],
    [{ from: 'node/n1', lines: [line] }],
    Date.parse(now),
  )
  const cause = diagnosisOf(evidence, 'node/n1')?.causes[0]
  if (!cause) throw new Error('no cause')
  const [remedy] = caseRemedies(evidence, 'cedar', 'node/n1', cause, lookAgain(evidence, 'node/n1'))
  expect(remedy?.change).toMatchObject({ kind: 'machine.replace' })
  expect(remedy?.because).toMatch(/the cause is gone$/)
})
