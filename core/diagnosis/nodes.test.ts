/** Nodes with one thing wrong, and what they are said to suffer from. */
import { describe, expect, it } from 'vitest'
import { event, firstOf, node } from './testing/exports'

describe('a node', () => {
  const silent = [
    {
      type: 'Ready',
      status: 'Unknown',
      reason: 'NodeStatusUnknown',
      message: 'Kubelet stopped posting node status.',
    },
  ]
  it.each([
    [
      [
        {
          type: 'Ready',
          status: 'False',
          reason: 'KubeletNotReady',
          message: 'container runtime is down',
        },
      ],
      [],
      'runtime-down',
    ],
    [
      [
        { type: 'Ready', status: 'True' },
        { type: 'DiskPressure', status: 'True', message: 'kubelet has disk pressure' },
      ],
      [],
      'disk-full',
    ],
    [
      silent,
      [
        'x509: certificate has expired or is not yet valid: current time 2026-03-02T06:00:00Z is after 2026-03-01T00:00:00Z',
      ],
      'certificate-expired',
    ],
    [
      silent,
      [
        'x509: certificate has expired or is not yet valid: current time 2020-01-01T06:00:00Z is before 2026-03-01T00:00:00Z',
      ],
      'clock-off',
    ],
    [
      silent,
      ['Failed to contact API server: dial tcp 10.0.0.1:6443: i/o timeout'],
      'api-unreachable',
    ],
    [silent, ['systemd: kubelet.service: Main process exited, code=killed'], 'agent-stopped'],
    [silent, [], 'none'],
    [
      [
        {
          type: 'Ready',
          status: 'False',
          reason: 'KubeletNotReady',
          message:
            'container runtime network not ready: NetworkReady=false reason:NetworkPluginNotReady cni plugin not initialized',
        },
      ],
      [],
      'network-plugin-broken',
    ],
  ])('%j with %j is %s', (conditions, lines, cause) =>
    expect(firstOf([node(conditions)], 'node/n1', [{ from: 'node/n1', lines }])[0]).toBe(cause),
  )

  it('is held up by a webhook that refuses the pods of its network', () => {
    const set = {
      apiVersion: 'apps/v1',
      kind: 'DaemonSet',
      metadata: { name: 'pod-network', namespace: 'kube-system' },
    }
    const hook = {
      apiVersion: 'admissionregistration.k8s.io/v1',
      kind: 'ValidatingWebhookConfiguration',
      metadata: { name: 'gate' },
      webhooks: [{ name: 'pods.gate.example' }],
    }
    const refused = event(
      'FailedCreate',
      'Error creating: Internal error occurred: failed calling webhook "pods.gate.example": connection refused',
      {
        involvedObject: { kind: 'DaemonSet', namespace: 'kube-system', name: 'pod-network' },
      },
    )
    const conditions = [
      {
        type: 'Ready',
        status: 'False',
        reason: 'KubeletNotReady',
        message: 'cni plugin not initialized',
      },
    ]
    expect(firstOf([node(conditions), set, hook, refused], 'node/n1')).toEqual([
      'webhook-blocks-system-pods',
      'validatingwebhookconfiguration/gate',
    ])
  })
})
