/**
 * Counts what a new capability costs: in a copy of the tree a toy verb is added with a toy change kind, a bell of a site
 * that is rung and heard. The copy must pass the type checker, and its toy must run to its proof; at most six files may be touched
 * besides tests. Kept in build/, which is not a part of the tree.
 */
import { execFileSync } from 'node:child_process'
import { cpSync, mkdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { bin, root, run, typeChecker } from './ready.mjs'

const most = 6
const copy = join(root, 'build/toy')

/** New files, whole. */
const added = {
  'core/ground/bell.ts': `/** The change kind \`site.bell\`: a bell is rung. */
import { z } from 'zod'
import { ref } from '../changes'
import { command } from '../contract'
import { oneStep } from './one-step'

export const siteBell = oneStep({
  name: 'site.bell',
  title: 'Ring the bell of a site',
  intent: z.strictObject({ site: z.string().max(253), times: z.int().min(1).max(12) }),
  label: (intent) => \`ring the bell of \${intent.site}\`,
  site: (intent) => intent.site,
  subject: (intent) => ref('bell', intent.site),
  check: () => [],
  says: (intent) => \`ring \${intent.times} times\`,
  command: ({ site, times }) => command('bell.ring', { site, times }),
  seconds: { likely: 5, worst: 20 },
  after: (_intent, site) => site,
  prove: (intent, site) => [
    { says: 'the site answers', holds: site !== undefined, observed: intent.site },
  ],
})
`,
}

/** Files that are altered: what is found is followed by what is put behind it; nothing is found at the end. */
const altered = {
  'core/contract/verbs/sites.ts': [
    [
      '',
      `
export const bellRing = verb({
  name: 'bell.ring',
  port: 'site',
  args: z.object({ site: z.string(), times: z.number() }),
  result: z.object({ rung: z.number() }),
  failures: ['bell-cracked'],
  at: atSite,
  touches: siteSlice,
  makes: ({ site }) => [ref('peal', site, 'last')],
})
`,
    ],
  ],
  'standin/sites/ground.ts': [
    [
      '',
      `
export const bellRing = onSite<'bell.ring'>(
  5,
  (_sim, _site, op) => said('rung', { times: op.args.times }),
  (_sim, op) => ({ rung: op.args.times }),
)
`,
    ],
  ],
  'standin/sites/says.ts': [
    [
      'export const said = sentences({',
      `\n  rung: (p: { times: number }) => \`rung \${p.times} times\`,`,
    ],
  ],
  'standin/behaviours.ts': [
    [`  'service.restart': ground.serviceRestart,`, `\n  'bell.ring': ground.bellRing,`],
  ],
  'core/kinds/index.ts': [
    [`import type { z } from 'zod'`, `\nimport { siteBell } from '../ground/bell'`],
    ['  kind(clusterRaise),', '\n  kind(siteBell),'],
  ],
}

/** The toy at work, from draft to proof, through everything that was not touched. */
const test = `import { expect, it } from 'vitest'
import { madeBy } from '~/server/runner/attribution'
import { openForTest, runOut } from '~/server/testing/open'

it('rings', async () => {
  const opened = await openForTest()
  const { gyrarch } = opened
  const draft = await gyrarch.changes.draft('site.bell', { site: 'mossgate', times: 3 })
  expect(draft.findings).toEqual([])
  await gyrarch.changes.run(draft.id, { accept: [] })
  const done = await runOut(gyrarch, draft.id)
  expect([done.state, done.steps[0]?.evidence[0]]).toMatchObject([
    'done',
    { code: 'rung', params: { times: 3 }, says: 'rung 3 times' },
  ])
  expect((await madeBy(1)).map(({ ref }) => ref)).toEqual(['peal/mossgate/last'])
  await opened.close()
})
`

function write(path, text) {
  const file = join(copy, path)
  mkdirSync(dirname(file), { recursive: true })
  writeFileSync(file, text)
}

rmSync(copy, { recursive: true, force: true })
const files = execFileSync('git', ['ls-files', '-co', '--exclude-standard'], {
  cwd: root,
  encoding: 'utf8',
})
for (const file of files.split('\n'))
  if (/\.(ts|tsx|yaml|json|gz)$/.test(file) || file === 'package.json')
    cpSync(join(root, file), join(copy, file), { recursive: true, force: true })
symlinkSync(join(root, 'node_modules'), join(copy, 'node_modules'))
cpSync(join(root, '.react-router'), join(copy, '.react-router'), { recursive: true })

for (const [path, text] of Object.entries(added)) write(path, text)
for (const [path, edits] of Object.entries(altered)) {
  let text = readFileSync(join(copy, path), 'utf8')
  for (const [place, more] of edits) {
    if (place === '') {
      text += more
      continue
    }
    if (!text.includes(place)) throw new Error(`${path} has no ${place}`)
    text = text.replace(place, place + more)
  }
  write(path, text)
}
write('server/toy.test.ts', test)

const count = Object.keys(added).length + Object.keys(altered).length
console.log(
  `a toy verb with a toy kind touches ${count} files besides its test: ${[...Object.keys(added), ...Object.keys(altered)].join(', ')}`,
)
const checked = run(process.execPath, [typeChecker, '--noEmit', '-p', copy], { cwd: copy })
const ran =
  checked === 0
    ? run(bin('vitest'), ['run', '--project', 'server', 'server/toy.test.ts'], { cwd: copy })
    : 1
rmSync(copy, { recursive: true, force: true })
process.exit(count <= most && checked === 0 && ran === 0 ? 0 : 1)
