import { execFileSync } from 'node:child_process'
import { X509Certificate } from 'node:crypto'
import { describe, expect, it } from 'vitest'
import { parse } from 'yaml'
import { gyrarchForAll, type Opened, runOut } from '../testing/open'

let opened: Opened
gyrarchForAll((eachOpened) => {
  opened = eachOpened
})

interface Kubeconfig {
  readonly kind: string
  readonly 'current-context': string
  readonly clusters: readonly {
    readonly name: string
    readonly cluster: { readonly server: string; readonly 'certificate-authority-data': string }
  }[]
  readonly contexts: readonly {
    readonly name: string
    readonly context: { readonly cluster: string; readonly user: string }
  }[]
  readonly users: readonly { readonly name: string; readonly user: { readonly token: string } }[]
}

const read = async (name: string): Promise<Kubeconfig> =>
  parse((await opened.gyrarch.access(name)).yaml) as Kubeconfig
const authorityIn = (file: Kubeconfig): X509Certificate =>
  new X509Certificate(
    Buffer.from(file.clusters[0]?.cluster['certificate-authority-data'] ?? '', 'base64'),
  )

describe('an access file', () => {
  it('is a kubeconfig whose parts fit together', async () => {
    const file = await read('cedar')
    expect(file.kind).toBe('Config')
    expect(file['current-context']).toBe('cedar')
    expect(file.contexts[0]).toEqual({
      name: 'cedar',
      context: { cluster: 'cedar', user: 'duty@cedar' },
    })
    expect(file.users[0]?.name).toBe('duty@cedar')
    expect(file.clusters[0]?.cluster.server).toMatch(/^https:\/\/127\.0\.0\.1:\d+$/)
  })

  it('has an authority that covers name, floating, machine and service address, and no other', async () => {
    const authority = authorityIn(await read('cedar'))
    expect(authority.ca).toBe(true)
    expect(authority.verify(authority.publicKey)).toBe(true)
    for (const address of ['10.20.0.20', '10.20.0.21', '10.20.0.22', '10.20.0.23', '10.121.0.1'])
      expect(authority.checkIP(address)).toBe(address)
    expect(authority.checkIP('10.20.0.30')).toBeUndefined()
    for (const name of [
      'cedar',
      'api.cedar.fernhollow.example',
      'kubernetes',
      'kubernetes.default',
      'kubernetes.default.svc',
      'kubernetes.default.svc.cluster.local',
    ])
      expect(authority.checkHost(name)).toBe(name)
  })

  it('has a new token each time, for eight hours, and the same authority', async () => {
    const [one, two] = [await read('dill'), await read('dill')]
    expect(one.users[0]?.user.token).not.toBe(two.users[0]?.user.token)
    expect(authorityIn(one).fingerprint256).toBe(authorityIn(two).fingerprint256)
    const { expiresWall } = await opened.gyrarch.access('dill')
    expect(Date.parse(expiresWall) - Date.now()).toBeGreaterThan(7.9 * 3_600_000)
    expect(Date.parse(expiresWall) - Date.now()).toBeLessThanOrEqual(8 * 3_600_000)
  })

  it('is journalled without its token, and refused for what is not there', async () => {
    const file = await read('dill')
    const [line] = await opened.gyrarch.journal({ kind: 'access.', limit: 1 })
    expect(line?.about).toBe('cluster/dill')
    expect(line?.says).not.toContain(file.users[0]?.user.token)
    await expect(opened.gyrarch.access('lost')).rejects.toMatchObject({ code: 'not-found' })
  })
})

describe('an authority', () => {
  const pem = async (name: string): Promise<string> =>
    Buffer.from(
      (await read(name)).clusters[0]?.cluster['certificate-authority-data'] ?? '',
      'base64',
    ).toString()

  it('has a key identifier, as openssl reads it', async () => {
    const shown = execFileSync('openssl', ['x509', '-noout', '-text'], {
      input: await pem('cedar'),
      encoding: 'utf8',
    })
    expect(shown).toMatch(/X509v3 Subject Key Identifier:\s+([0-9A-F]{2}:){19}[0-9A-F]{2}/)
    expect(shown).toContain('CA:TRUE')
  })

  it('stays good in files made earlier when it comes to cover another name', async () => {
    const before = await pem('alder')
    const { gyrarch } = opened
    const drafted = await gyrarch.changes.draft('wire.record', {
      site: 'mossgate',
      set: [{ name: 'lifecycle', type: 'A', ttl: 3600, value: '10.20.0.10' }],
    })
    await gyrarch.changes.run(drafted.id, {
      accept: drafted.findings.map((finding) => finding.key),
    })
    expect((await runOut(gyrarch, drafted.id)).state).toBe('done')
    const after = await pem('alder')
    expect(after).not.toBe(before)
    expect(new X509Certificate(after).checkHost('lifecycle.fernhollow.example')).toBe(
      'lifecycle.fernhollow.example',
    )
    // Of the same keys and name: what the one has signed the other verifies.
    const [then, now] = [new X509Certificate(before), new X509Certificate(after)]
    expect(now.verify(then.publicKey)).toBe(true)
    expect(now.checkIssued(then)).toBe(true)
  })
})
