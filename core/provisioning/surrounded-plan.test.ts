/** What a draft’s surroundings become in boot data and in the plan. */
import { describe, expect, it } from 'vitest'
import { parse } from 'yaml'
import { type FleetView } from '../fleet'
import { kindNamed } from '../kinds'
import { demoFleet } from '../testing/demo-fleet'
import { birch, fernlet } from '../testing/drafts'
import { bootFiles, handOver, masked, pointerScript, sha256Hex } from './boot-data'
import { bootDataOf, planned, raiseIntent } from '.'
import { execFileSync } from 'node:child_process'

const demo: FleetView = demoFleet()

const raise = (intent: unknown, view: FleetView) => {
  const read = kindNamed('cluster.raise')?.read(intent)
  if (!read?.ok) throw new Error(`the draft cannot be read: ${JSON.stringify(read)}`)
  return read.draft.findings(view)
}
const pem = (body: string): string =>
  `-----BEGIN CERTIFICATE-----\n${body}\n-----END CERTIFICATE-----\n`
/** What lies in wait, the draft, the fleet, the rule and field that catch it, and the remedy that clears it. */

describe('boot data', () => {
  const of = (intent: unknown, token?: (node: string) => string) =>
    bootDataOf(planned(raiseIntent.parse(intent), demo), token)

  it('is cloud-init that a YAML reader takes, with the node’s own facts, and the token masked', () => {
    const [first] = of({
      ...birch,
      sshKey: 'duty-2026',
      services: { timeServers: ['time-1.gh12.fernhollow.example'] },
    })
    expect(first?.files.userData.startsWith('#cloud-config\n')).toBe(true)
    const config = parse(first?.files.userData ?? '') as {
      hostname: string
      ntp: unknown
      users: { ssh_authorized_keys: string[] }[]
      write_files: { path: string; content: string; permissions: string }[]
    }
    expect(config).toMatchObject({
      hostname: 'birch-cp-1',
      ntp: { enabled: true, servers: ['time-1.gh12.fernhollow.example'] },
    })
    expect(config.users[0]?.ssh_authorized_keys[0]).toMatch(/^ssh-ed25519 .* duty-2026$/)
    const node = parse(
      config.write_files.find((file) => file.path === '/etc/gyrarch/node.yaml')?.content ?? '',
    ) as Record<string, unknown>
    expect(node).toMatchObject({
      cluster: 'birch',
      roles: ['control-plane'],
      api: 'https://10.20.0.2:6443',
      join: { token: masked, 'valid-minutes': 30, uses: 1 },
    })
    expect(config.write_files.every((file) => file.permissions === '0600')).toBe(true)
    expect(parse(first?.files.networkConfig ?? '')).toMatchObject({
      version: 2,
      ethernets: {
        cluster: {
          match: { macaddress: first?.wish.card.mac },
          dhcp4: false,
          addresses: ['10.20.0.3/24'],
          routes: [{ to: '0.0.0.0/0', via: '10.20.0.1' }],
        },
      },
    })
    expect(parse(first?.files.metaData ?? '')).toEqual({
      'instance-id': 'birch-cp-1-1',
      'local-hostname': 'birch-cp-1',
    })
  })

  it('has another instance-id at each replacement, and a token only where it is asked for', () => {
    expect(of({ ...birch, again: { 'birch-cp-1': 2 } })[0]?.wish.instance).toBe('birch-cp-1-3')
    expect(of(birch, (node) => `token-of-${node}`)[0]?.files.userData).toContain(
      'token-of-birch-cp-1',
    )
    expect(of(birch)[0]?.files.userData).not.toContain('token-of')
  })

  it('over its site’s limit is published, and a pointer handed over that verifies its digest', () => {
    const authorities = Array.from({ length: 12 }, (_, i) => ({
      name: `ca-${i}`,
      pem: pem('QUJD'.repeat(700)),
    }))
    const intent = raiseIntent.parse({ ...fernlet, services: { authorities } })
    const [large] = of(intent)
    expect(large?.handed.handed).toBe('pointer')
    expect(large?.handed.fullBytes).toBeGreaterThan(32_768)
    expect(large?.handed.bytes).toBeLessThan(2500)
    expect(large?.handed.digest).toBe(sha256Hex(large?.files.userData ?? ''))
    expect(raise(intent, demo).find((finding) => finding.rule === 'boot-data.limit')).toMatchObject(
      { level: 'note', field: 'bootData' },
    )
    const read = kindNamed('cluster.raise')?.read(intent)
    const steps = read?.ok ? read.draft.plan(demo).steps : []
    expect(
      steps.filter((step) => step.command.verb === 'bootdata.publish').map((step) => step.id),
    ).toEqual(['publish:fernlet-general-1', 'publish:fernlet-general-2'])
    expect(steps.find((step) => step.id === 'boot:fernlet-general-1')?.after).toContain(
      'publish:fernlet-general-1',
    )
  })

  it('counts what its encoding adds', () => {
    const files = bootFiles({ ...(of(birch)[0]?.wish as Parameters<typeof bootFiles>[0]) })
    const plain = handOver(files, { limitBytes: null, base64: false }, 'http://boot', false)
    const coded = handOver(files, { limitBytes: null, base64: true }, 'http://boot', false)
    expect(coded.bytes).toBe(Buffer.from(files.userData).toString('base64').length)
    expect(plain.bytes).toBe(Buffer.byteLength(files.userData))
    expect(
      handOver(files, { limitBytes: plain.bytes, base64: false }, 'http://boot', false).handed,
    ).toBe('inline')
    expect(
      handOver(files, { limitBytes: plain.bytes - 1, base64: false }, 'http://boot', false).handed,
    ).toBe('pointer')
  })

  it('behind a pointer is a script that a shell takes and that stops on a mismatch', () => {
    const files = { metaData: '', networkConfig: '' }
    const script = pointerScript('http://127.0.0.1:9/none', 'f'.repeat(64), files)
    expect(() => execFileSync('sh', ['-n'], { input: script })).not.toThrow()
    // With a download that gives other bytes it stops, says which digest it met, and never calls cloud-init.
    const tampered = script
      .replace(/^curl .*$/m, 'printf other > "$file"')
      .replace('/run/gyrarch-user-data', '"${TMPDIR:-/tmp}/gyrarch-test-user-data"')
    expect(() => execFileSync('sh', [], { input: tampered, stdio: 'pipe' })).toThrow(/stopped/)
  })
})

describe('a plan', () => {
  const plan = (intent: unknown) => {
    const read = kindNamed('cluster.raise')?.read(intent)
    if (!read?.ok) throw new Error('unreadable')
    expect(read.draft.findings(demo).filter((finding) => finding.level === 'stop')).toEqual([])
    return read.draft.plan(demo)
  }

  it('that begins on a temporary machine lets it go once the others have joined', () => {
    const { steps, creates } = plan({
      ...birch,
      controlPlane: { kind: 'own', count: 3, begins: 'temporary-machine' },
    })
    const away = steps.find((step) => step.id === 'leave:begin')
    expect(away?.after).toEqual(['join:birch-cp-1', 'join:birch-cp-2', 'join:birch-cp-3'])
    expect(steps.find((step) => step.id === 'api')?.command.args['machine']).toBe('birch-begin')
    expect(steps.find((step) => step.id === 'delete:begin')?.command).toMatchObject({
      verb: 'machine.delete',
      args: { name: 'birch-begin' },
    })
    expect(creates).toContain('machine/mossgate/birch-begin')
  })

  it('holds static addresses for workers where it is asked to', () => {
    const { steps } = plan({ ...birch, networks: { addressing: 'static' } })
    expect(
      steps.find((step) => step.id === 'worker-addresses')?.command.args['addresses'],
    ).toMatchObject([{ address: '10.20.16.1', for: 'birch-general-1' }, { for: 'birch-general-2' }])
  })

  it('gives nodes of a cloud addresses outside where it is asked to, and clusters their storage class', () => {
    const { steps, creates } = plan({
      ...fernlet,
      networks: { nodeAddresses: 'public', frontage: 'tarn-north virtual addresses' },
      storageClass: 'cloud-disk',
    })
    expect(steps.find((step) => step.id === 'virtual')?.command.args['addresses']).toMatchObject([
      { address: '203.0.113.1' },
    ])
    expect(
      steps.find((step) => step.id === 'public-addresses')?.command.args['addresses'],
    ).toMatchObject([
      { address: '203.0.113.2', for: 'fernlet-general-1 outside' },
      { address: '203.0.113.3' },
    ])
    expect(creates).toEqual(
      expect.arrayContaining([
        'address/tarn-north/203.0.113.3',
        'balancer/tarn-north/fernlet-ingress',
      ]),
    )
    expect(steps.find((step) => step.id === 'storage')?.command).toMatchObject({
      verb: 'class.default',
      args: { name: 'cloud-disk', zones: ['north-1', 'north-2'] },
    })
  })

  it('makes a machine anew without doing anything twice that stays', () => {
    const before = plan(birch)
    const after = plan({ ...birch, again: { 'birch-general-1': 1 } })
    const discard = after.steps.find((step) => step.id === 'discard:birch-general-1@1')
    expect(discard?.replaces).toContain('create:birch-general-1')
    const kept = before.steps.filter((step) => !discard?.replaces?.includes(step.id))
    for (const step of kept)
      expect(after.steps.find((otherStep) => otherStep.id === step.id)?.command).toEqual(
        step.command,
      )
  })

  it('with five control-plane machines spreads them over the zones', () => {
    const { steps } = plan({ ...birch, controlPlane: { kind: 'own', count: 5 } })
    const zones = steps
      .filter((step) => step.id.startsWith('create:birch-cp'))
      .map((step) => step.command.args['zone'])
    expect(zones).toEqual(['mossgate-a', 'mossgate-b', 'mossgate-c', 'mossgate-a', 'mossgate-b'])
  })
})
