/** `npm test`: type check, lint, dependency rules, unit tests, browser tests; one line of counts at the end. */
import { mkdirSync, readFileSync, rmSync } from 'node:fs'
import { bin, needPackages, needTestTools, root, run } from './ready.mjs'

needPackages()
needTestTools()

const reports = `${root}reports`
rmSync(reports, { recursive: true, force: true })
mkdirSync(reports, { recursive: true })

let passed = 0
let failed = 0
/** What failed, in a few lines each: told once more at the end, where it is found. */
const failures = []

/** A check that passes or fails as a whole counts as one. */
function check(name, command, args) {
  const started = Date.now()
  const ok = run(command, args) === 0
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
function tests(name, project) {
  const file = `${reports}/${project}.json`
  const status = run(bin('vitest'), [
    'run',
    '--project',
    project,
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

check('route types', bin('react-router'), ['typegen'])
check('type check', bin('tsc'), ['--noEmit'])
check('format', bin('prettier'), ['--check', '.', '--log-level', 'warn'])
check('lint', bin('eslint'), ['.', '--max-warnings', '0'])
check('dependency rules', bin('depcruise'), [
  '--config',
  '.dependency-cruiser.cjs',
  '--output-type',
  'err',
  'core',
  'standin',
  'server',
  'agent',
  'app',
  'workers',
])
check('copies', bin('jscpd'), [
  'agent',
  'app',
  'core',
  'server',
  'standin',
  'workers',
  'bench',
  'scripts',
])
check('rules of our own', process.execPath, ['scripts/check-rules.mjs'])
check('a new capability touches six files', process.execPath, ['scripts/toy-capability.mjs'])
if (check('build', process.execPath, ['scripts/build.mjs'])) {
  tests('unit tests', 'unit')
  tests('browser tests', 'browser')
}
if (failures.length > 0) console.log(`\nWhat failed:\n- ${failures.join('\n- ')}\n`)
console.log(`${passed} passed, ${failed} failed`)
process.exit(failed === 0 ? 0 : 1)
