/** `npm test`: type check, lint, dependency rules, unit tests, browser tests; one line of counts at the end. */
import { spawn } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync } from 'node:fs'
import { beginPackages, bin, needTestTools, root, run, typeChecker } from './ready.mjs'

// What is proven by being repeated is repeated as often as was set for it; else less often (`server/testing/thorough.ts`).
if (process.argv.includes('--thorough')) process.env['GYRARCH_THOROUGH'] = 'yes'

const { compiled } = await beginPackages()
needTestTools()

const reports = `${root}reports`
rmSync(reports, { recursive: true, force: true })
mkdirSync(reports, { recursive: true })

let passed = 0
let failed = 0
/** What failed, in a few lines each: told once more at the end, where it is found. */
const failures = []

/** Runs beside others: what it says is kept until it has ended, so that it stands in one piece. */
function beside(command, args) {
  return new Promise((ended) => {
    const child = spawn(command, args, { cwd: root, stdio: ['ignore', 'pipe', 'pipe'] })
    const said = []
    child.stdout.on('data', (text) => said.push(text))
    child.stderr.on('data', (text) => said.push(text))
    child.on('error', (error) => ended({ status: 1, text: `${error.message}\n` }))
    child.on('close', (status) =>
      ended({ status: status ?? 1, text: Buffer.concat(said).toString() }),
    )
  })
}

/** A check that passes or fails as a whole counts as one. */
async function check(name, command, args) {
  const started = Date.now()
  const { status, text } = await beside(command, args)
  const ok = status === 0
  process.stdout.write(text)
  console.log(`${ok ? 'ok' : 'FAILED'}  ${name} (${Math.round((Date.now() - started) / 1000)} s)`)
  if (ok) passed++
  else {
    failed++
    failures.push(name)
  }
  return ok
}

/** The beginning of a message, without what only repeats where it came from. */
const firstLines = (message) =>
  message
    .split('\n')
    .filter((line) => line.trim() !== '' && !line.includes('node_modules'))
    .slice(0, 14)
    .join('\n  ')
    .slice(0, 1500)

/** A test runner's own counts, from its JSON report; a run that left none has failed. */
function tests(name, projects) {
  const file = `${reports}/${name.split(' ')[0]}.json`
  const status = run(bin('vitest'), [
    'run',
    ...projects.flatMap((project) => ['--project', project]),
    '--reporter=default',
    '--reporter=json',
    `--outputFile.json=${file}`,
  ])
  let report = { numPassedTests: 0, numFailedTests: 1, numFailedTestSuites: 0 }
  try {
    report = JSON.parse(readFileSync(file, 'utf8'))
  } catch {
    console.log(`${name} left no report.`)
  }
  for (const { assertionResults = [], message = '', name: path = '' } of report.testResults ?? []) {
    const file = path.replace(root, '')
    if (message !== '') failures.push(`${file}: ${firstLines(message)}`)
    for (const { fullName, status: state, failureMessages = [] } of assertionResults)
      if (state === 'failed')
        failures.push(`${file}: ${fullName}\n  ${failureMessages.map(firstLines).join('\n  ')}`)
  }
  passed += report.numPassedTests
  // A suite that fell over outside its tests, or an unhandled rejection, fails the run even with every test green.
  failed += report.numFailedTests + (status !== 0 && report.numFailedTests === 0 ? 1 : 0)
  console.log(`${status === 0 ? 'ok' : 'FAILED'}  ${name}`)
}

const code = ['agent', 'app', 'core', 'server', 'standin', 'workers']

/** What the types hold, and copies, each after the one before: about as long as what is read from the text. */
async function checkTypes() {
  await check('type check', process.execPath, [typeChecker, '--noEmit'])
  await check('copies', bin('jscpd'), [...code, 'bench', 'scripts'])
  // It is tried on a Gyrarch of its own, which needs what is compiled.
  await compiled
  await check('a new capability touches six files', process.execPath, [
    'scripts/toy-capability.mjs',
  ])
}

/** What is read from the text. */
async function checkText() {
  await check('format', bin('prettier'), ['--check', '.', '--log-level', 'warn'])
  await check('lint', bin('eslint'), ['.', '--max-warnings', '0'])
  const rules = ['--config', '.dependency-cruiser.cjs', '--output-type', 'err']
  await check('dependency rules', bin('depcruise'), [...rules, ...code])
  await check('rules of our own', process.execPath, ['scripts/check-rules.mjs'])
}

await check('route types', bin('react-router'), ['typegen'])
await Promise.all([checkTypes(), checkText()])
if (await check('build', process.execPath, ['scripts/build.mjs'])) {
  tests('unit tests', ['pure', 'server', 'apart', 'pages'])
  tests('browser tests', ['browser'])
}
if (failures.length > 0) console.log(`\nWhat failed:\n- ${failures.join('\n- ')}\n`)
console.log(`${passed} passed, ${failed} failed`)
process.exit(failed === 0 ? 0 : 1)
