/** Installs what a command needs, and says what takes long while it does. */
import { execFileSync, spawn, spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'

export const root = fileURLToPath(new URL('..', import.meta.url))

export function run(command, args, options = {}) {
  const done = spawnSync(command, args, { cwd: root, stdio: 'inherit', ...options })
  if (done.error) throw done.error
  return done.status ?? 1
}

function needNode() {
  const [major = 0, minor = 0] = process.versions.node.split('.').map(Number)
  if (major > 20 || (major === 20 && minor >= 19)) return
  console.error(`Gyrarch needs Node.js 20.19 or newer; this is ${process.versions.node}.`)
  process.exit(1)
}

const mark = `${root}node_modules/.gyrarch-lock`
const quietly = ['--no-audit', '--no-fund', '--loglevel=error']

/** What the lock asks for, where something else is installed or nothing; null where all is there. */
function lackedLock() {
  needNode()
  const lock = createHash('sha256')
    .update(readFileSync(`${root}package-lock.json`))
    .digest('hex')
  return existsSync(mark) && readFileSync(mark, 'utf8') === lock ? null : lock
}

function orLeave(status) {
  if (status === 0) return
  console.error(
    'Packages could not be installed; the reason is above. The SQLite module needs python3, make and g++ (Debian: apt-get install python3 make g++).',
  )
  process.exit(status)
}

/** `npm ci`, unless what is installed is what the lock says. */
export function needPackages() {
  const lock = lackedLock()
  if (lock === null) return
  console.log(
    'Installing packages. The SQLite module is compiled from source, which takes two to three minutes…',
  )
  const started = Date.now()
  orLeave(run('npm', ['ci', ...quietly]))
  console.error(`Installed in ${Math.round((Date.now() - started) / 1000)} s.`)
  writeFileSync(mark, lock)
}

/** The same for who can begin without what is compiled: resolves once that is there, too. */
export async function beginPackages() {
  const lock = lackedLock()
  if (lock === null) return { compiled: Promise.resolve() }
  console.log('Installing packages; the SQLite module is compiled from source beside the checks…')
  orLeave(run('npm', ['ci', '--ignore-scripts', ...quietly]))
  const started = Date.now()
  const compiled = new Promise((ended) => {
    const compiler = spawn('npm', ['rebuild', ...quietly], { cwd: root, stdio: 'inherit' })
    compiler.on('error', (error) => {
      console.error(error.message)
      ended(1)
    })
    compiler.on('close', (status) => ended(status ?? 1))
  }).then((status) => {
    orLeave(status)
    console.error(`Compiled in ${Math.round((Date.now() - started) / 1000)} s.`)
    writeFileSync(mark, lock)
  })
  return { compiled }
}

const browser = [['chromium', '/usr/bin/chromium']]

/** The tools of others that read what Gyrarch writes: seed volumes, boot data, zone files, YAML, registries. */
const readers = [
  ['genisoimage', '/usr/bin/isoinfo'],
  ['libarchive-tools', '/usr/bin/bsdtar'],
  ['cloud-init', '/usr/bin/cloud-init'],
  ['python3-yaml', '/usr/lib/python3/dist-packages/yaml/__init__.py'],
  ['bind9-utils', '/usr/bin/named-checkzone'],
  ['skopeo', '/usr/bin/skopeo'],
]

/** Debian’s Chromium, for the browser tests and the pictures. */
export const needChromium = () => needDebian(browser)

/** All that the tests ask of Debian. */
export const needTestTools = () => needDebian([...browser, ...readers])

function needDebian(packages) {
  const missing = packages.flatMap(([name, path]) => (existsSync(path) ? [] : [name]))
  if (missing.length === 0) return
  console.error(`Installing ${missing.join(', ')} for the tests…`)
  const sudo = process.getuid?.() === 0 ? [] : ['sudo']
  const apt = (...args) => {
    const [command, ...rest] = [...sudo, 'apt-get', ...args]
    execFileSync(command, rest, {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    })
  }
  apt('update', '-qq')
  apt('install', '-y', '-qq', '--no-install-recommends', ...missing)
}

export const bin = (name) => `${root}node_modules/.bin/${name}`

/** The type checker: the compiled one, several times as fast. Lint and build still read types with the other. */
export const typeChecker = `${root}node_modules/typescript-native/bin/tsc`
