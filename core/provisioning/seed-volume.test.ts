import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, it } from 'vitest'
import { seedVolume } from './seed-volume'

const dir = mkdtempSync(join(tmpdir(), 'gyrarch-seed-'))
afterAll(() => rmSync(dir, { recursive: true, force: true }))

const body = (text: string): Uint8Array => new TextEncoder().encode(text)
const files = [
  {
    name: 'user-data',
    body: body(`#cloud-config\n${'# a line that makes it longer than one sector\n'.repeat(90)}`),
  },
  { name: 'meta-data', body: body('instance-id: elm-12-a-1\n') },
  { name: 'network-config', body: body('version: 2\n') },
]

describe('a seed volume', () => {
  const path = join(dir, 'seed.iso')
  writeFileSync(path, seedVolume(files, 'CIDATA', new Date('2026-03-02T06:00:00Z')))

  it('is an ISO 9660 image with Joliet names and the label that cloud-init looks for', () => {
    const about = execFileSync('isoinfo', ['-d', '-i', path], { encoding: 'utf8' })
    expect(about).toMatch(/Volume id: CIDATA/)
    expect(about).toMatch(/Joliet with UCS level 3 found/)
    expect(
      execFileSync('blkid', ['-p', '-o', 'value', '-s', 'LABEL', path], {
        encoding: 'utf8',
      }).trim(),
    ).toBe('CIDATA')
  })

  it('gives every file back as it went in', () => {
    const listed = execFileSync('isoinfo', ['-J', '-f', '-i', path], { encoding: 'utf8' })
      .trim()
      .split('\n')
      .sort()
    expect(listed).toEqual(['/meta-data', '/network-config', '/user-data'])
    execFileSync('bsdtar', ['-xf', path, '-C', dir])
    for (const file of files)
      expect(new Uint8Array(readFileSync(join(dir, file.name)))).toEqual(file.body)
    expect(new Uint8Array(execFileSync('isoinfo', ['-J', '-i', path, '-x', '/user-data']))).toEqual(
      files[0]?.body,
    )
  })
})
