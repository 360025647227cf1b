/** Who may pull and push: repositories that are closed, credentials that end, and the next one proven before the last one goes. */
import { execFile } from 'node:child_process'
import { promisify } from 'node:util'
import { beforeEach, describe, expect, it } from 'vitest'
import type { ChangeRecord } from '../changes/changes'
import { draftAndRun, gyrarchForEach, type Opened } from '../testing/open'
import { handOut } from './grants'

let opened: Opened
gyrarchForEach((made) => {
  opened = made
})
beforeEach(() => opened.gyrarch.registries.listen())

const registry = 'registry.fernhollow.example'
const market = { cluster: 'bramble', namespace: 'market' }
const restart = { ...market, kind: 'Deployment', name: 'price-feed' }
const credential = { registry, repositories: ['market'], ...market, purpose: 'pull', days: 1 }

const address = (): string =>
  opened.gyrarch.registries.list().find(({ name }) => name === registry)?.address ?? ''

const ask = (path: string, user?: string, password?: string, init: RequestInit = {}) =>
  fetch(`http://${address()}/v2/${path}`, {
    ...init,
    headers:
      user === undefined
        ? {}
        : { Authorization: `Basic ${Buffer.from(`${user}:${password ?? ''}`).toString('base64')}` },
  })

const ran = async (kind: string, intent: unknown): Promise<ChangeRecord> => {
  const change = await draftAndRun(opened.gyrarch, kind, intent)
  expect([kind, change.state, change.cause]).toEqual([kind, 'done', null])
  expect(change.proof?.filter(({ holds }) => !holds)).toEqual([])
  return change
}

const passwordOf = (user: string) => {
  const { gyrarch } = opened
  return handOut(gyrarch, gyrarch.registries.whole(), user)
}

describe('a closed repository', () => {
  it('says before it is closed who would be denied, and the credential that helps is proven', async () => {
    const { gyrarch } = opened
    const { findings } = await gyrarch.changes.draft('registry.close', {
      registry,
      repositories: 'market',
    })
    const denied = findings.find(({ rule }) => rule === 'denies.bramble.market')
    expect(denied?.says).toContain('market-desk')
    expect(denied?.remedies).toMatchObject([
      { change: { kind: 'registry.credential', intent: { namespace: 'market' } } },
    ])
    await ran('registry.credential', credential)
    const after = await gyrarch.changes.draft('registry.close', {
      registry,
      repositories: 'market',
    })
    expect(after.findings.map(({ rule }) => rule)).not.toContain('denies.bramble.market')
  })

  it('is pulled from and pushed to with a credential that is valid and for that', async () => {
    await ran('registry.credential', credential)
    await ran('registry.close', { registry, repositories: 'market' })
    const open = await ask('irrigation/valve-gateway/tags/list')
    expect(open.status).toBe(200)
    const without = await ask('market/price-feed/tags/list')
    expect(without.status).toBe(401)
    expect(without.headers.get('www-authenticate')).toMatch(/^Basic realm="/)
    expect(await without.json()).toMatchObject({ errors: [{ code: 'UNAUTHORIZED' }] })
    // Clients log in where the registry itself says how; without a name they go on as nobody.
    const greeting = await ask('')
    expect([greeting.status, greeting.headers.get('www-authenticate')]).toEqual([
      401,
      without.headers.get('www-authenticate'),
    ])
    expect((await ask('irrigation/valve-gateway/tags/list', '', '')).status).toBe(200)
    expect((await ask('market/price-feed/tags/list', '', '')).status).toBe(401)
    const { user, password } = await passwordOf('market.bramble.pull')
    expect((await ask('market/price-feed/tags/list', user, 'guessed')).status).toBe(401)
    expect((await ask('', user, 'guessed')).status).toBe(401)
    expect((await ask('', user, password)).status).toBe(200)
    expect((await ask('market/price-feed/tags/list', user, password)).status).toBe(200)
    const push = (name: string, key: string) =>
      ask('market/price-feed/blobs/uploads/', name, key, { method: 'POST' })
    const pushed = await push(user, password)
    expect([pushed.status, await pushed.json()]).toMatchObject([
      403,
      { errors: [{ code: 'DENIED' }] },
    ])
    await ran('registry.credential', { ...credential, purpose: 'push' })
    const pusher = await passwordOf('market.bramble.push')
    expect((await push(pusher.user, pusher.password)).status).toBe(202)
    const mounted = await ask(
      `irrigation/valve-gateway/blobs/uploads/?mount=sha256:${'0'.repeat(64)}&from=market/price-feed`,
      undefined,
      undefined,
      { method: 'POST' },
    )
    expect(mounted.status).toBe(401)
    await opened.gyrarch.outside.advance(86_400)
    expect((await ask('market/price-feed/tags/list', user, password)).status).toBe(401)
  })
})

it('is logged in to by a client of others, which pulls with one credential and pushes with the other', async () => {
  await ran('registry.credential', credential)
  await ran('registry.credential', { ...credential, purpose: 'push' })
  await ran('registry.close', { registry, repositories: 'market' })
  const client = (...args: readonly string[]) =>
    promisify(execFile)('skopeo', [...args]).then(
      () => 'done',
      (error: { stderr: string }) => error.stderr,
    )
  const of = async (user: string) => {
    const { password } = await passwordOf(user)
    return `${user}:${password}`
  }
  const image = `docker://${address()}/market/price-feed:1`
  expect(await client('inspect', '--tls-verify=false', image)).toMatch(/unauthorized/)
  const pull = await of('market.bramble.pull')
  expect(await client('inspect', '--tls-verify=false', '--creds', pull, image)).toBe('done')
  const copied = (creds: string) =>
    client(
      'copy',
      '--src-tls-verify=false',
      '--dest-tls-verify=false',
      '--src-creds',
      pull,
      '--dest-creds',
      creds,
      image,
      `docker://${address()}/market/mine:1`,
    )
  expect(await copied(pull)).toMatch(/pulling alone/)
  expect(await copied(await of('market.bramble.push'))).toBe('done')
})

describe('a pull that is denied', () => {
  it('halts the run that needs it, which offers the credential; given that, it goes on', async () => {
    const { gyrarch } = opened
    await ran('registry.close', { registry, repositories: 'market' })
    const drafted = await gyrarch.changes.draft('workload.restart', restart)
    expect(drafted.findings.map(({ rule, level }) => [rule.split('.')[0], level])).toContainEqual([
      'denied',
      'caution',
    ])
    const halted = await draftAndRun(gyrarch, 'workload.restart', restart)
    expect([halted.state, halted.cause?.reason]).toEqual(['halted', 'image-denied'])
    expect(JSON.stringify(halted.cause)).toContain(
      'repository does not exist or may require authorization',
    )
    const remedy = halted.remedies?.find(
      ({ change }) => 'kind' in change && change.kind === 'registry.credential',
    )
    if (!remedy || !('kind' in remedy.change)) throw new Error('no credential is offered')
    await ran('registry.credential', remedy.change.intent)
    await gyrarch.changes.retry(halted.id, 'bramble')
    await gyrarch.outside.advance(900)
    expect((await gyrarch.changes.get(halted.id)).state).toBe('done')
  })

  it('comes when a credential has ended; the next round is proven by a pull before the last one ends', async () => {
    const { gyrarch } = opened
    await ran('registry.credential', credential)
    await ran('registry.close', { registry, repositories: 'market' })
    await ran('workload.restart', restart)
    const before = await passwordOf('market.bramble.pull')
    const rotated = await ran('registry.credential', credential)
    expect(rotated.plan?.steps.map(({ id }) => id)).toEqual(['open', 'show', 'pull', 'end'])
    const now = await passwordOf('market.bramble.pull')
    expect((await ask('market/price-feed/tags/list', before.user, before.password)).status).toBe(
      401,
    )
    expect((await ask('market/price-feed/tags/list', now.user, now.password)).status).toBe(200)
    await gyrarch.outside.advance(86_400)
    const ended = await draftAndRun(gyrarch, 'workload.restart', restart)
    expect(ended.cause?.reason).toBe('image-denied')
    expect(JSON.stringify(ended.cause)).toContain('has ended')
  })

  it('leaves nothing half done when a rotation is taken back, and is told before a credential is ended', async () => {
    const { gyrarch } = opened
    await ran('registry.credential', credential)
    await ran('registry.close', { registry, repositories: 'market' })
    const first = await passwordOf('market.bramble.pull')
    const rotated = await ran('registry.credential', credential)
    await gyrarch.changes.takeBack(rotated.id, 'bramble')
    await gyrarch.outside.advance(300)
    expect((await gyrarch.changes.get(rotated.id)).state).toBe('taken-back')
    expect(await passwordOf('market.bramble.pull')).toEqual(first)
    await ran('workload.restart', restart)
    const ending = { registry, account: 'market.bramble.pull' }
    const { findings } = await gyrarch.changes.draft('registry.revoke', ending)
    expect(findings.map(({ rule }) => rule)).toContain('denies.bramble.market')
    await ran('registry.revoke', ending)
    await expect(passwordOf('market.bramble.pull')).rejects.toThrow(/no credential/)
    expect((await draftAndRun(gyrarch, 'workload.restart', restart)).state).toBe('halted')
  })
})

it('keeps no password in its directory, in clear or otherwise', async () => {
  await ran('registry.credential', credential)
  const { password } = await passwordOf('market.bramble.pull')
  const { readdir, readFile } = await import('node:fs/promises')
  const { join } = await import('node:path')
  const dir = join(opened.dir, 'registries')
  const files = (await readdir(dir)).filter((name) => name.endsWith('.json'))
  expect(files.length).toBeGreaterThan(0)
  for (const name of files) expect(await readFile(join(dir, name), 'utf8')).not.toContain(password)
})
