/** Archives that want to be more than a layout: refused with a reason, before anything is taken. */
import { createHash } from 'node:crypto'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { type Header, pack } from 'tar-stream'
import { expect, it } from 'vitest'
import { eachBlob, readLayout } from './read-layout'

const dir = mkdtempSync(join(tmpdir(), 'gyrarch-layout-'))

const digestOf = (text: string): string => createHash('sha256').update(text).digest('hex')
const blob = 'a layer'
const blobName = `blobs/sha256/${digestOf(blob)}`
const index = (manifests: readonly unknown[]) => JSON.stringify({ schemaVersion: 2, manifests })

type File = readonly [name: string, body: string, header?: Partial<Header>]

async function archive(files: readonly File[]): Promise<string> {
  const tar = pack()
  const chunks: Buffer[] = []
  tar.on('data', (chunk: unknown) => {
    if (Buffer.isBuffer(chunk)) chunks.push(chunk)
  })
  const done = new Promise((resolve) => tar.on('end', () => resolve(null)))
  for (const [name, body, header] of files)
    tar.entry({ name, ...header } as Header, header?.type === 'symlink' ? '' : body)
  tar.finalize()
  await done
  const file = join(dir, `${Math.random()}.tar`)
  writeFileSync(file, Buffer.concat(chunks))
  return file
}

const layout: File = ['oci-layout', '{"imageLayoutVersion":"1.0.0"}']

it('reads a layout, its folders and its dots included, and tells whole blobs from damaged ones', async () => {
  const wrong = `blobs/sha256/${'0'.repeat(64)}`
  const file = await archive([
    layout,
    ['blobs/', '', { type: 'directory' }],
    [`./${blobName}`, blob],
    [wrong, 'others'],
    ['README', 'not of a layout, and passed over'],
    ['index.json', index([])],
  ])
  const read = await readLayout(file)
  expect(read.blobs).toEqual([
    { digest: `sha256:${digestOf(blob)}`, size: blob.length, isWhole: true },
    { digest: `sha256:${'0'.repeat(64)}`, size: 6, isWhole: false },
  ])
  const handed: string[] = []
  await eachBlob(file, new Set([`sha256:${digestOf(blob)}`]), async (digest, bytes) => {
    handed.push(`${digest} ${bytes.toString()}`)
    await Promise.resolve()
  })
  expect(handed).toEqual([`sha256:${digestOf(blob)} ${blob}`])
  rmSync(file)
})

it.each<[string, readonly File[], string]>([
  ['climbs out', [layout, ['../../etc/passwd', 'x'], ['index.json', index([])]], 'leads out of it'],
  ['climbs out below a folder', [['blobs/../../x', 'x']], 'leads out of it'],
  ['is named from the root', [['/etc/passwd', 'x']], 'leads out of it'],
  [
    'is a symbolic link',
    [layout, [blobName, '', { type: 'symlink', linkname: '/etc/passwd' }]],
    'files and folders alone',
  ],
  [
    'is a hard link',
    [layout, [blobName, '', { type: 'link', linkname: 'index.json' }]],
    'files and folders alone',
  ],
  ['is a device', [layout, ['null', '', { type: 'character-device' }]], 'files and folders alone'],
  ['lacks its version', [['index.json', index([])]], 'no file oci-layout'],
  ['lacks an index', [layout], 'no index.json'],
  ['has an index that is no JSON', [layout, ['index.json', '{']], 'not valid JSON'],
  [
    'has an index of another shape',
    [layout, ['index.json', '{"schemaVersion":1}']],
    'no index of an OCI image layout',
  ],
  [
    'leads from index to index',
    [
      layout,
      [
        'index.json',
        index([
          {
            mediaType: 'application/vnd.oci.image.index.v1+json',
            digest: `sha256:${digestOf(blob)}`,
            size: blob.length,
          },
        ]),
      ],
    ],
    'an index within an index',
  ],
  [
    'states a size that its blob does not have',
    [
      layout,
      [
        'index.json',
        index([
          {
            mediaType: 'application/vnd.oci.image.manifest.v1+json',
            digest: `sha256:${digestOf(blob)}`,
            size: 3,
          },
        ]),
      ],
      [blobName, blob],
    ],
    'is said to have 3 bytes and has 7',
  ],
])('refuses an archive that %s', async (_what, files, says) => {
  await expect(readLayout(await archive(files))).rejects.toThrow(says)
})
