/** Pods with one thing wrong, and what they are said to suffer from. */
import { describe, expect, it } from 'vitest'
import { diagnose } from './diagnose'
import { ago, event, firstOf, now, type Parts, pod, unplaced, waiting } from './testing/exports'

const about = 'pod/market/api'

describe('a pod that waits', () => {
  it.each([
    [
      '0/3 nodes are available: 3 Insufficient cpu. preemption: 0/3 nodes are available: 3 No preemption victims found.',
      {},
      'no-room',
    ],
    ['0/3 nodes are available: 3 node(s) had untolerated taint {use: store}.', {}, 'taint'],
    [
      "0/3 nodes are available: 3 node(s) had taint {use: store}, that the pod didn't tolerate.",
      {},
      'taint',
    ],
    [
      "0/3 nodes are available: 3 node(s) didn't match Pod's node affinity/selector.",
      { nodeSelector: { a: 'b' } },
      'selector',
    ],
    [
      "0/3 nodes are available: 3 node(s) didn't match Pod's node affinity/selector.",
      { affinity: { nodeAffinity: { requiredDuringSchedulingIgnoredDuringExecution: {} } } },
      'affinity',
    ],
    ["0/3 nodes are available: 3 node(s) didn't match pod anti-affinity rules.", {}, 'affinity'],
    [
      "0/3 nodes are available: 3 node(s) didn't match pod topology spread constraints.",
      {},
      'spread',
    ],
    [
      "0/3 nodes are available: 3 node(s) didn't have free ports for the requested pod ports.",
      {},
      'host-port',
    ],
    [
      '0/3 nodes are available: 3 node(s) had volume node affinity conflict.',
      {},
      'volume-elsewhere',
    ],
    ['no nodes available to schedule pods', {}, 'no-nodes'],
    ['0/3 nodes are available: 3 node(s) were unschedulable.', {}, 'cordoned'],
  ])('%s', (message, spec, cause) =>
    expect(firstOf([unplaced(message, spec)])).toEqual([cause, about]),
  )

  it('for a claim is about the claim', () => {
    const message = '0/3 nodes are available: pod has unbound immediate PersistentVolumeClaims.'
    expect(
      firstOf([unplaced(message, { volumes: [{ persistentVolumeClaim: { claimName: 'data' } }] })]),
    ).toEqual(['claim-unbound', 'persistentvolumeclaim/market/data'])
  })

  it('names the reason of the nodes that got farthest first, the others as lesser', () => {
    const message =
      '0/5 nodes are available: 3 node(s) had untolerated taint {use: store}, 2 Insufficient memory.'
    const diagnosis = diagnose({ objects: [unplaced(message)], about, now })
    expect(diagnosis?.causes.map(({ cause, share }) => [cause, share])).toEqual([
      ['no-room', 1],
      ['taint', 0.5],
    ])
  })
})

describe('a pod that does not run', () => {
  it.each([
    [
      'ImagePullBackOff',
      'Back-off pulling image "r/api:1"',
      'Failed to pull image "r/api:1": rpc error: code = NotFound desc = failed to pull and unpack image: r/api:1: not found',
      'image-missing',
    ],
    [
      'ErrImagePull',
      '',
      'Failed to pull image "r/api:1": pull access denied for r/api, repository does not exist or may require authorization',
      'image-denied',
    ],
    [
      'ErrImagePull',
      '',
      'Failed to pull image "r/api:1": dial tcp: lookup r on 10.0.0.2:53: no such host',
      'registry-unreachable',
    ],
    [
      'ErrImagePull',
      '',
      'Failed to pull image "r/api:1": toomanyrequests: You have reached your pull rate limit',
      'pull-limit',
    ],
    [
      'ErrImagePull',
      '',
      'Failed to pull image "r/api:1": no matching manifest for linux/arm64 in the manifest list entries',
      'architecture-wrong',
    ],
  ])('%s %s %s', (reason, message, told, cause) =>
    expect(firstOf([waiting(reason, message), event('Failed', told)])).toEqual([cause, about]),
  )

  it.each([
    ['InvalidImageName', "couldn't parse image reference", 'image-name-invalid'],
    [
      'ErrImageNeverPull',
      'Container image "r/api:1" is not present with pull policy of Never',
      'image-missing',
    ],
    ['CreateContainerConfigError', 'configmap "settings" not found', 'config-missing'],
    [
      'CreateContainerConfigError',
      'container has runAsNonRoot and image will run as root',
      'user-refused',
    ],
    [
      'RunContainerError',
      'exec: "/bin/srv": stat /bin/srv: no such file or directory: unknown',
      'command-missing',
    ],
    ['RunContainerError', 'exec: "/srv": permission denied: unknown', 'not-executable'],
  ])('%s: %s', (reason, message, cause) =>
    expect(firstOf([waiting(reason, message)])).toEqual([cause, about]),
  )

  const ended = (terminated: Parts) =>
    waiting('CrashLoopBackOff', 'back-off 5m0s restarting failed container', {
      restartCount: 6,
      lastState: { terminated: { finishedAt: ago(3), ...terminated } },
    })

  it('by the way it ended, its probes and its log', () => {
    expect(firstOf([ended({ reason: 'OOMKilled', exitCode: 137 })])[0]).toBe('memory-killed')
    expect(firstOf([ended({ reason: 'Error', exitCode: 1 })])[0]).toBe('crash')
    expect(firstOf([ended({ reason: 'Error', exitCode: 127 })])[0]).toBe('command-missing')
    const probe = event(
      'Unhealthy',
      'Liveness probe failed: HTTP probe failed with statuscode: 500',
    )
    expect(firstOf([ended({ reason: 'Error', exitCode: 137 }), probe])[0]).toBe('liveness-probe')
    const log = { from: about, lines: ['exec /srv: exec format error'] }
    expect(firstOf([ended({ reason: 'Error', exitCode: 1 })], about, [log])[0]).toBe(
      'architecture-wrong',
    )
  })

  it.each([
    [
      'FailedAttachVolume',
      'Multi-Attach error for volume "v" Volume is already exclusively attached to one node',
      'attached-elsewhere',
    ],
    [
      'FailedMount',
      'MountVolume.SetUp failed for volume "c" : configmap "settings" not found',
      'config-missing',
    ],
    [
      'FailedMount',
      'MountVolume.MountDevice failed for volume "v" : wrong fs type',
      'mount-failed',
    ],
    [
      'FailedCreatePodSandBox',
      'Failed to create pod sandbox: plugin type="bridge" failed (add): no address left',
      'sandbox-network',
    ],
  ])('%s: %s', (reason, message, cause) =>
    expect(firstOf([waiting('ContainerCreating', ''), event(reason, message)])[0]).toBe(cause),
  )

  it('is not held up by what is over, or was an hour ago', () => {
    const mount = (parts: Parts) =>
      event(
        'FailedMount',
        'MountVolume.SetUp failed for volume "c" : configmap "settings" not found',
        parts,
      )
    const later = event('Pulled', 'Successfully pulled image', {
      type: 'Normal',
      lastTimestamp: ago(1),
    })
    const diagnosis = diagnose({
      objects: [waiting('ErrImagePull', ''), mount({}), later],
      about,
      now,
    })
    expect(diagnosis?.causes).toEqual([])
    expect(diagnosis?.ruledOut.map(({ cause }) => cause)).toEqual(['config-missing'])
    expect(firstOf([waiting('ContainerCreating', ''), mount({ lastTimestamp: ago(90) })])[0]).toBe(
      'none',
    )
  })

  it('is well where it runs and is ready', () => {
    const well = pod({
      status: { phase: 'Running', conditions: [{ type: 'Ready', status: 'True' }] },
    })
    expect(
      diagnose({
        objects: [well, event('BackOff', 'Back-off restarting failed container')],
        about,
        now,
      }),
    ).toMatchObject({
      symptom: '',
      causes: [],
      next: null,
    })
  })
})
