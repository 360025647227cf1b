/** An audit of files as a pipeline asks for it: what it says, in which form, and how it ends. */
import { spawnSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { auditedFile, exitCode, report } from './report'

const nightly =
  'apiVersion: batch/v1beta1\nkind: CronJob\nmetadata: {name: nightly, namespace: irrigation}\n'
const files = [
  auditedFile('a dir/nightly.yaml', `# nightly\n${nightly}---\nbroken: [\n`, '1.33'),
  auditedFile('fine.yaml', 'apiVersion: v1\nkind: Namespace\nmetadata: {name: seeds}\n', '1.33'),
]

it('is told with file and line, and what takes its place', () => {
  expect(report(files, '1.33', 'text').split('\n')).toEqual([
    'a dir/nightly.yaml:2: CronJob irrigation/nightly: batch/v1beta1 is not served since 1.25; use batch/v1.',
    expect.stringMatching(/^a dir\/nightly.yaml:\d+: not read: /) as string,
    '2 objects read, 1 gone at 1.33.',
    '',
  ])
})

it('is SARIF 2.1.0 that a code host takes: rules, levels, and places as URIs', () => {
  const sarif = JSON.parse(report(files, '1.33', 'sarif')) as {
    version: string
    runs: {
      tool: { driver: { rules: { id: string }[] } }
      results: { ruleId: string; level: string; locations: unknown[] }[]
    }[]
  }
  expect(sarif.version).toBe('2.1.0')
  const [run] = sarif.runs
  const ids = run?.tool.driver.rules.map(({ id }) => id) ?? []
  expect(ids).toEqual(['batch/v1beta1/CronJob', 'unreadable'])
  expect(run?.results.map(({ ruleId, level }) => [ruleId, level])).toEqual([
    ['batch/v1beta1/CronJob', 'error'],
    ['unreadable', 'note'],
  ])
  expect(run?.results[0]?.locations).toEqual([
    {
      physicalLocation: {
        artifactLocation: { uri: 'a%20dir/nightly.yaml' },
        region: { startLine: 2 },
      },
    },
  ])
})

it('judges a layered file by what it becomes, at the lines where that is said', () => {
  const layered = [
    'layers: 1',
    'base:',
    '  - apiVersion: v1',
    '    kind: Namespace',
    '    metadata: { name: seeds }',
    `  - ${nightly.trimEnd().split('\n').join('\n    ')}`,
    'environments:',
    '  hall: {}',
    '  tarn:',
    '    jsonPatch: [{ target: CronJob/none, patch: [] }]',
    '',
  ].join('\n')
  const audited = auditedFile('layers.yaml', layered, '1.33')
  expect(report([audited], '1.33', 'text').split('\n')).toEqual([
    'layers.yaml:6: CronJob irrigation/nightly: batch/v1beta1 is not served since 1.25; use batch/v1.',
    expect.stringMatching(/^layers.yaml:11: not read: tarn: /) as string,
    '2 objects read, 1 gone at 1.33.',
    '',
  ])
  expect(exitCode([audited])).toBe(1)
  const broken = auditedFile('broken.yaml', 'layers: 1\nbase: 7\nenvironments: {}\n', '1.33')
  expect(broken.audit.unreadable).toHaveLength(1)
})

it('ends with 1 only where something is gone at the target', () => {
  expect(exitCode(files)).toBe(1)
  expect(exitCode([auditedFile('later.yaml', nightly, '1.24')])).toBe(0)
})

describe('the command', () => {
  let dir = ''
  beforeAll(() => {
    dir = mkdtempSync(join(tmpdir(), 'gyrarch-audit-'))
    writeFileSync(join(dir, 'nightly.yaml'), nightly)
    writeFileSync(join(dir, 'notes.txt'), 'apiVersion: batch/v1beta1\nkind: CronJob\n')
  })
  afterAll(() => rmSync(dir, { recursive: true, force: true }))

  const ask = (args: readonly string[], input = '') => {
    const { status, stdout, stderr } = spawnSync(
      process.execPath,
      [resolve('scripts/audit.mjs'), ...args],
      { cwd: dir, input, encoding: 'utf8' },
    )
    return { status, stdout, stderr }
  }

  it(
    'reads folders, files by where it is called, and what is piped in',
    { timeout: 120_000 },
    () => {
      expect(ask(['--target', '1.33', '.'])).toMatchObject({
        status: 1,
        stdout: expect.stringContaining('1 object read, 1 gone at 1.33.') as string,
      })
      expect(ask(['--target', '1.24', 'nightly.yaml']).status).toBe(0)
      const json = ask(['--target', '1.33', '--format', 'json', '-'], nightly)
      expect(JSON.parse(json.stdout)).toMatchObject({
        target: '1.33',
        files: [{ file: '-', objects: 1, found: [{ kind: 'CronJob', gone: true }] }],
      })
      for (const args of [
        ['.'],
        ['--target', '1.33'],
        ['--target', 'new', '.'],
        ['--target', '1.33', 'none.yaml'],
      ])
        expect([args, ask(args).status]).toEqual([args, 2])
    },
  )
})
