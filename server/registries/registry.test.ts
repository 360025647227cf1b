/** The rules of the OCI Distribution Specification 1.1 for pulling, pushing, listing and deleting, in the order of its text. */
import { execFile } from 'node:child_process'
import { createHash } from 'node:crypto'
import { appendFileSync, createReadStream, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { promisify } from 'node:util'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { serveRegistry } from './http'
import { Registry } from './registry'
import { takeLayout } from './take-layout'

const run = promisify(execFile)
const digestOf = (bytes: string | Uint8Array): string =>
  `sha256:${createHash('sha256').update(bytes).digest('hex')}`

const config = JSON.stringify({ architecture: 'amd64', os: 'linux', rootfs: { type: 'layers' } })
const layer = 'the bytes of a layer'
const manifestType = 'application/vnd.oci.image.manifest.v1+json'
const indexType = 'application/vnd.oci.image.index.v1+json'

const imageManifest = (more: object = {}): string =>
  JSON.stringify({
    schemaVersion: 2,
    mediaType: manifestType,
    config: {
      mediaType: 'application/vnd.oci.image.config.v1+json',
      digest: digestOf(config),
      size: config.length,
    },
    layers: [
      {
        mediaType: 'application/vnd.oci.image.layer.v1.tar',
        digest: digestOf(layer),
        size: layer.length,
      },
    ],
    ...more,
  })

let dir: string
let server: Server
let url: string
let registry: Registry
const faults: unknown[] = []

const firstOf = (): Registry =>
  new Registry('registry.fernhollow.example', dir, {
    images: async () => [],
    blob: async () => null,
  })

beforeAll(async () => {
  dir = mkdtempSync(join(tmpdir(), 'gyrarch-registry-'))
  registry = firstOf()
  server = createServer(
    (request, response) =>
      void serveRegistry(registry, request, response, (error) => faults.push(error)),
  )
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  const address = server.address()
  url = `http://127.0.0.1:${typeof address === 'object' && address !== null ? address.port : 0}`
})
afterAll(async () => {
  server.closeAllConnections()
  await new Promise((done) => server.close(done))
  rmSync(dir, { recursive: true, force: true })
  expect(faults).toEqual([])
})

const ask = (method: string, path: string, body?: string, headers: Record<string, string> = {}) =>
  fetch(url + path, {
    method,
    headers,
    redirect: 'manual',
    ...(body === undefined ? {} : { body }),
  })

const codeOf = async (response: Response): Promise<string> =>
  ((await response.json()) as { errors: { code: string }[] }).errors[0]?.code ?? ''

async function pushBlob(name: string, body: string): Promise<void> {
  const begun = await ask('POST', `/v2/${name}/blobs/uploads/`)
  const location = begun.headers.get('location') ?? ''
  const put = await ask('PUT', `${location}?digest=${digestOf(body)}`, body, {
    'Content-Type': 'application/octet-stream',
  })
  expect(put.status).toBe(201)
}

async function pushImage(name: string, tag: string, more: object = {}): Promise<string> {
  await pushBlob(name, config)
  await pushBlob(name, layer)
  const body = imageManifest(more)
  const put = await ask('PUT', `/v2/${name}/manifests/${tag}`, body, {
    'Content-Type': manifestType,
  })
  expect(put.status).toBe(201)
  return digestOf(body)
}

describe('determining support', () => {
  it('answers 200 at /v2/', async () => {
    expect((await ask('GET', '/v2/')).status).toBe(200)
  })
})

describe('pushing blobs', () => {
  const name = 'seed/pushed'
  const digest = digestOf(layer)

  it('in one piece: POST, then PUT to the location', async () => {
    const begun = await ask('POST', `/v2/${name}/blobs/uploads/`)
    expect(begun.status).toBe(202)
    const location = begun.headers.get('location') ?? ''
    expect(location).toMatch(/^\/v2\/seed\/pushed\/blobs\/uploads\/[0-9a-f-]{36}$/)
    const put = await ask('PUT', `${location}?digest=${digest}`, layer)
    expect(put.status).toBe(201)
    expect(put.headers.get('location')).toBe(`/v2/${name}/blobs/${digest}`)
    expect(await (await ask('GET', `/v2/${name}/blobs/${digest}`)).text()).toBe(layer)
  })

  it('in a single POST', async () => {
    const body = 'all at once'
    const path = `/v2/${name}/blobs/uploads/?digest=${digestOf(body)}`
    expect((await ask('POST', path, body)).status).toBe(201)
    expect((await ask('HEAD', `/v2/${name}/blobs/${digestOf(body)}`)).status).toBe(200)
  })

  it('in chunks, in order; one out of order is 416, and the upload goes on from where it was', async () => {
    const parts = ['the first part,', ' the second,', ' the last']
    const whole = parts.join('')
    // Of a length that is told to be none, as the specification has it.
    const begun = await ask('POST', `/v2/${name}/blobs/uploads/`, '')
    const location = begun.headers.get('location') ?? ''
    let at = 0
    const patch = (part: string, from: number) =>
      ask('PATCH', location, part, {
        'Content-Type': 'application/octet-stream',
        'Content-Range': `${from}-${from + part.length - 1}`,
      })
    const [first = '', second = '', last = ''] = parts
    const begin = await patch(first, at)
    expect([begin.status, begin.headers.get('range')]).toEqual([202, `0-${first.length - 1}`])
    at += first.length
    expect((await patch(last, at + 40)).status).toBe(416)
    const status = await ask('GET', location)
    expect([status.status, status.headers.get('range')]).toEqual([204, `0-${at - 1}`])
    expect((await patch(second, at)).status).toBe(202)
    const put = await ask('PUT', `${location}?digest=${digestOf(whole)}`, last)
    expect(put.status).toBe(201)
    expect(await (await ask('GET', `/v2/${name}/blobs/${digestOf(whole)}`)).text()).toBe(whole)
  })

  it('mounted from another repository where it is there, else begun as an upload', async () => {
    const there = `/v2/seed/mounted/blobs/uploads/?mount=${digest}&from=${name}`
    expect((await ask('POST', there)).status).toBe(201)
    expect((await ask('HEAD', `/v2/seed/mounted/blobs/${digest}`)).status).toBe(200)
    const absent = `/v2/seed/mounted/blobs/uploads/?mount=${digestOf('nobody has it')}&from=${name}`
    expect((await ask('POST', absent)).status).toBe(202)
  })

  it('of other bytes than their digest are refused and not kept', async () => {
    const begun = await ask('POST', `/v2/${name}/blobs/uploads/`)
    const wrong = await ask(
      'PUT',
      `${begun.headers.get('location') ?? ''}?digest=${digestOf('one thing')}`,
      'another thing',
    )
    expect([wrong.status, await codeOf(wrong)]).toEqual([400, 'DIGEST_INVALID'])
    expect((await ask('HEAD', `/v2/${name}/blobs/${digestOf('one thing')}`)).status).toBe(404)
  })

  it('is cancelled with its upload', async () => {
    const begun = await ask('POST', `/v2/${name}/blobs/uploads/`)
    const location = begun.headers.get('location') ?? ''
    expect((await ask('DELETE', location)).status).toBe(204)
    const gone = await ask('GET', location)
    expect([gone.status, await codeOf(gone)]).toEqual([404, 'BLOB_UPLOAD_UNKNOWN'])
  })
})

describe('pushing and pulling manifests', () => {
  const name = 'seed/images'

  it('keeps the bytes as they were sent, under tag and digest', async () => {
    const digest = await pushImage(name, '1')
    for (const reference of ['1', digest]) {
      const got = await ask('GET', `/v2/${name}/manifests/${reference}`)
      expect(got.status).toBe(200)
      expect(got.headers.get('docker-content-digest')).toBe(digest)
      expect(got.headers.get('content-type')).toBe(manifestType)
      expect(await got.text()).toBe(imageManifest())
      const head = await ask('HEAD', `/v2/${name}/manifests/${reference}`)
      expect(head.headers.get('content-length')).toBe(String(imageManifest().length))
    }
  })

  it('refuses one whose blobs are not there yet, or that is none', async () => {
    const elsewhere = await ask('PUT', '/v2/seed/empty/manifests/1', imageManifest(), {
      'Content-Type': manifestType,
    })
    expect([elsewhere.status, await codeOf(elsewhere)]).toEqual([404, 'MANIFEST_BLOB_UNKNOWN'])
    for (const body of ['', '{', '[]', '{"schemaVersion":1}', '"x"', 'null'])
      expect(
        (await ask('PUT', `/v2/${name}/manifests/x`, body, { 'Content-Type': manifestType }))
          .status,
      ).toBe(400)
    const otherType = await ask('PUT', `/v2/${name}/manifests/x`, imageManifest(), {
      'Content-Type': indexType,
    })
    expect(await codeOf(otherType)).toBe('MANIFEST_INVALID')
    const otherDigest = await ask(
      'PUT',
      `/v2/${name}/manifests/${digestOf('x')}`,
      imageManifest(),
      { 'Content-Type': manifestType },
    )
    expect(await codeOf(otherDigest)).toBe('DIGEST_INVALID')
  })

  it('answers 404 with a code for what is not there', async () => {
    expect(await codeOf(await ask('GET', `/v2/${name}/manifests/nothing`))).toBe('MANIFEST_UNKNOWN')
    expect(await codeOf(await ask('GET', '/v2/no/such/manifests/1'))).toBe('NAME_UNKNOWN')
    expect(await codeOf(await ask('GET', `/v2/${name}/blobs/${digestOf('x')}`))).toBe(
      'BLOB_UNKNOWN',
    )
  })

  it('answers ranges of blobs', async () => {
    const path = `/v2/${name}/blobs/${digestOf(layer)}`
    const part = await ask('GET', path, undefined, { Range: 'bytes=4-8' })
    expect([part.status, await part.text()]).toEqual([206, layer.slice(4, 9)])
    expect(part.headers.get('content-range')).toBe(`bytes 4-8/${layer.length}`)
    expect((await ask('GET', path, undefined, { Range: 'bytes=900-' })).status).toBe(416)
  })
})

describe('listing tags', () => {
  const name = 'seed/tagged'

  it('in lexical order, in pages that name the next', async () => {
    for (const tag of ['b', 'C', 'a', 'd']) await pushImage(name, tag)
    const list = async (query: string) => {
      const response = await ask('GET', `/v2/${name}/tags/list${query}`)
      return {
        body: (await response.json()) as { name: string; tags: string[] },
        link: response.headers.get('link'),
      }
    }
    expect((await list('')).body).toEqual({ name, tags: ['a', 'b', 'C', 'd'] })
    const first = await list('?n=2')
    expect(first.body.tags).toEqual(['a', 'b'])
    expect(first.link).toBe(`</v2/${name}/tags/list?n=2&last=b>; rel="next"`)
    const second = await list('?n=2&last=b')
    expect([second.body.tags, second.link]).toEqual([['C', 'd'], null])
    expect((await list('?n=0')).body.tags).toEqual([])
    expect((await ask('GET', '/v2/no/such/tags/list')).status).toBe(404)
  })
})

describe('listing referrers', () => {
  it('of a manifest, those of a kind if one is asked for; none is an empty index', async () => {
    const name = 'seed/referred'
    const subject = await pushImage(name, '1')
    const about = {
      mediaType: manifestType,
      digest: subject,
      size: imageManifest().length,
    }
    const body = imageManifest({
      artifactType: 'application/vnd.example.signature.v1',
      subject: about,
      annotations: { by: 'release-desk' },
    })
    const put = await ask('PUT', `/v2/${name}/manifests/${digestOf(body)}`, body, {
      'Content-Type': manifestType,
    })
    expect(put.headers.get('oci-subject')).toBe(subject)
    const list = async (query = '') => {
      const response = await ask('GET', `/v2/${name}/referrers/${subject}${query}`)
      expect(response.headers.get('content-type')).toBe(indexType)
      return { index: (await response.json()) as { manifests: object[] }, response }
    }
    expect((await list()).index.manifests).toEqual([
      {
        mediaType: manifestType,
        digest: digestOf(body),
        size: body.length,
        artifactType: 'application/vnd.example.signature.v1',
        annotations: { by: 'release-desk' },
      },
    ])
    const filtered = await list('?artifactType=application/vnd.example.other')
    expect(filtered.index.manifests).toEqual([])
    expect(filtered.response.headers.get('oci-filters-applied')).toBe('artifactType')
    const none = await ask('GET', `/v2/${name}/referrers/${digestOf('nothing')}`)
    expect([none.status, ((await none.json()) as { manifests: [] }).manifests]).toEqual([200, []])
    expect((await ask('GET', `/v2/${name}/referrers/sha256:1`)).status).toBe(400)
  })
})

describe('deleting', () => {
  it('a tag leaves the manifest, a manifest takes its tags, a blob goes alone', async () => {
    const name = 'seed/deleted'
    const digest = await pushImage(name, '1')
    await pushImage(name, '2')
    expect((await ask('DELETE', `/v2/${name}/manifests/1`)).status).toBe(202)
    expect((await ask('GET', `/v2/${name}/manifests/1`)).status).toBe(404)
    expect((await ask('GET', `/v2/${name}/manifests/${digest}`)).status).toBe(200)
    expect((await ask('DELETE', `/v2/${name}/manifests/${digest}`)).status).toBe(202)
    expect((await ask('GET', `/v2/${name}/manifests/2`)).status).toBe(404)
    expect((await ask('DELETE', `/v2/${name}/manifests/${digest}`)).status).toBe(404)
    expect((await ask('DELETE', `/v2/${name}/blobs/${digestOf(layer)}`)).status).toBe(202)
    expect((await ask('HEAD', `/v2/${name}/blobs/${digestOf(layer)}`)).status).toBe(404)
    expect((await ask('HEAD', `/v2/seed/images/blobs/${digestOf(layer)}`)).status).toBe(200)
  })
})

describe('odd requests', () => {
  it.each([
    ['GET', '/v2/Seed/manifests/1', 400],
    ['GET', '/v2/seed/../../etc/manifests/1', 404],
    ['GET', '/v2/%2e%2e/%2e%2e/manifests/1', 404],
    ['GET', '/v2/seed/%ff/manifests/1', 400],
    ['POST', '/v2/seed/images/manifests/1', 405],
    ['GET', '/v2/_catalog', 404],
    ['GET', '/', 404],
    ['GET', '/v2/seed/images/blobs/sha256:..%2f..%2flog.jsonl', 404],
    ['PATCH', '/v2/seed/images/blobs/uploads/..%2flog.jsonl', 404],
    ['PUT', `/v2/seed/images/blobs/uploads/${'0'.repeat(36)}?digest=x`, 404],
    ['GET', '/v2/seed/images/tags/list?n=-1', 400],
  ])('%s %s is %d', async (method, path, status) => {
    expect((await ask(method, path, method === 'PATCH' ? 'x' : undefined)).status).toBe(status)
  })

  it('of a host that is not its own are denied', async () => {
    const { request } = await import('node:http')
    const status = await new Promise((done) =>
      request(`${url}/v2/`, { headers: { Host: 'registry.example' } }, (response) =>
        done(response.statusCode),
      ).end(),
    )
    expect(status).toBe(403)
  })
})

describe('opened again', () => {
  it('holds what was pushed, whatever a power cut left of the last line', async () => {
    const digest = await pushImage('seed/kept', '1')
    appendFileSync(join(dir, 'log.jsonl'), '{"op":"tag","repository":"seed/ke')
    const again = firstOf()
    const kept = await again.repository('seed/kept')
    expect(kept?.tags.get('1')).toBe(digest)
    await again.untag('seed/kept', '1')
    expect((await firstOf().repository('seed/kept'))?.tags.size).toBe(0)
  })
})

describe('a client of others', () => {
  it('pushes a layout and pulls it back with the same digests', async () => {
    const name = 'seed/copied'
    const digest = await pushImage('seed/origin', '1')
    const from = `docker://${url.slice('http://'.length)}/seed/origin:1`
    const to = `docker://${url.slice('http://'.length)}/${name}:2`
    const plain = ['--src-tls-verify=false', '--dest-tls-verify=false', '--insecure-policy']
    const layout = `oci:${join(dir, 'layout')}:1`
    await run('skopeo', ['copy', ...plain, '--preserve-digests', from, layout])
    await run('skopeo', ['copy', ...plain, '--preserve-digests', layout, to])
    const head = await ask('HEAD', `/v2/${name}/manifests/2`)
    expect(head.headers.get('docker-content-digest')).toBe(digest)
    const tags = await run('skopeo', ['list-tags', '--tls-verify=false', to.replace(/:2$/, '')])
    expect(JSON.parse(tags.stdout)).toMatchObject({ Tags: ['2'] })
  })
})

describe('an archive of a layout, as another program writes it', () => {
  const archiveOf = async (name: string): Promise<string> => {
    const file = join(dir, `${Math.random()}.tar`)
    const from = `docker://${url.replace('http://', '')}/seed/tray:whole`
    await run('skopeo', [
      'copy',
      '--insecure-policy',
      '--src-tls-verify=false',
      '--preserve-digests',
      from,
      `oci-archive:${file}:${name}`,
    ])
    return file
  }

  const pushed = async (): Promise<void> => {
    await registry.keep(digestOf(config), Buffer.from(config))
    await registry.keep(digestOf(layer), Buffer.from(layer))
    await registry.link([
      { repository: 'seed/tray', digest: digestOf(config) },
      { repository: 'seed/tray', digest: digestOf(layer) },
    ])
    const manifest = Buffer.from(imageManifest())
    await registry.putManifest('seed/tray', manifest, digestOf(manifest), manifestType, 'whole')
  }

  it('is taken into another registry under the name that its index says', async () => {
    await pushed()
    const taking = new Registry('registry.kilnlane.example', join(dir, 'taking'), {
      images: async () => [],
      blob: async () => null,
    })
    const file = await archiveOf('seed/tray:carried')
    const taken = await takeLayout(taking, createReadStream(file))
    expect(taken).toMatchObject([{ repository: 'seed/tray', tag: 'carried' }])
    const held = await taking.repository('seed/tray')
    expect(held?.tags.get('carried')).toBe(taken[0]?.digest)
    expect((await taking.bytes(digestOf(layer)))?.toString()).toBe(layer)
  })

  it('is refused whole where it has no name, is damaged, or ends in the middle', async () => {
    const taking = new Registry('registry.kilnlane.example', join(dir, 'refusing'), {
      images: async () => [],
      blob: async () => null,
    })
    const whole = readFileSync(await archiveOf('seed/tray:carried'))
    const nameless = readFileSync(await archiveOf('carried'))
    const damaged = Buffer.from(whole)
    const at = damaged.indexOf(Buffer.from(layer))
    damaged[at] = (damaged[at] ?? 0) ^ 0xff
    const put = (bytes: Buffer) => takeLayout(taking, Readable.from([bytes]))
    await expect(put(nameless)).rejects.toThrow('say repository and tag')
    await expect(put(damaged)).rejects.toThrow('not those of its digest')
    await expect(put(whole.subarray(0, 1200))).rejects.toThrow('Nothing was taken')
    const broken = Readable.from(
      (async function* halves() {
        yield whole.subarray(0, 600)
        await Promise.resolve()
        throw new Error('the connection ended')
      })(),
    )
    await expect(takeLayout(taking, broken)).rejects.toThrow('did not arrive whole')
    expect((await taking.contents()).size).toBe(0)
  })
})
