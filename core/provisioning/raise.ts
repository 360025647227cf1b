/** The change kind `cluster.raise`: from a draft to a cluster whose every node is ready. */
import { type ChangeKind, type Failure, type Proof, type RawFinding, ref, type Step, type StepResults } from '../changes'
import { clusterOf, clusterState, type FleetView, nodesOf, stateContext } from '../fleet'
import { listText } from '../units'
import { checkBoxes } from './checks/box'
import { checkName, checkRelease, checkSite } from './checks/identity'
import { checkControlPlane, checkHostRoom, checkPools, checkQuota, checkRootDisks, checkSizes, checkZones } from './checks/machines'
import { checkRanges, checkStaticAddresses, checkVirtualAddresses } from './checks/ranges'
import { type Check, planned, type Planned } from './planned'
import { type RaiseIntent, raiseIntent } from './raise-intent'
import { raisePlan } from './raise-plan'

const checkSshKey: Check = ({ intent, view }) =>
  intent.sshKey === undefined || intent.sshKey === '' || view.sshKeys.includes(intent.sshKey)
    ? []
    : [
        {
          level: 'stop',
          rule: 'ssh-key.known',
          field: 'sshKey',
          says: `There is no SSH key ${intent.sshKey}.`,
          because: [{ says: `keys: ${listText(view.sshKeys) || 'none'}`, source: 'key register' }],
          offers: [...view.sshKeys.slice(0, 2).map((key) => ({ says: `Use ${key}`, change: { patchDraft: [{ op: 'replace', path: '/sshKey', value: key } as const] } })), { says: 'Give no key', change: { patchDraft: [{ op: 'remove', path: '/sshKey' } as const] } }],
        },
      ]

/** Where one cluster drives the others of a site, it should be well before it is given another. */
const checkLifecycle: Check = ({ site, view }) =>
  view.clusters.flatMap((cluster): readonly RawFinding[] => {
    if (!site || cluster.site !== site.name || cluster.drives.length === 0) return []
    const { state, says } = clusterState(cluster, stateContext(view))
    if (state === 'well' || state === 'working') return []
    return [
      {
        level: 'caution',
        rule: 'lifecycle.well',
        about: ref('cluster', cluster.name),
        says: `${cluster.name}, which drives the clusters of ${site.name}, is ${state}. What is raised now may not be looked after.`,
        because: [{ says, source: cluster.name, at: cluster.observedAt }],
      },
    ]
  })

const checks: readonly Check[] = [
  checkName,
  checkSite,
  checkRelease,
  checkControlPlane,
  checkPools,
  checkZones,
  checkSizes,
  checkRootDisks,
  checkQuota,
  checkHostRoom,
  checkBoxes,
  checkRanges,
  checkStaticAddresses,
  checkVirtualAddresses,
  checkSshKey,
  checkLifecycle,
]

function prove(intent: RaiseIntent, view: FleetView, results: StepResults): readonly Proof[] {
  const cluster = clusterOf(view, intent.name)
  const nodes = cluster ? nodesOf(cluster) : []
  const wanted = planned(intent, view).machines.length + intent.machines.length
  const ready = nodes.filter((node) => node.conditions.some((condition) => condition.type === 'Ready' && condition.status === 'True'))
  const dns = results['dns']
  const tried = Object.entries(results).filter(([id]) => id.startsWith('try:'))
  return [
    { says: 'Its API answers', holds: cluster?.apiAnswers === true, observed: cluster ? `${cluster.endpoint} ${cluster.apiAnswers ? 'answered' : 'did not answer'}` : 'no such cluster' },
    { says: 'Every node is ready', holds: nodes.length >= wanted && ready.length === nodes.length, observed: `${ready.length} of ${wanted} ready` },
    { says: 'Its DNS answers', holds: dns?.['answers'] === true, observed: typeof dns?.['says'] === 'string' ? dns['says'] : 'not asked' },
    ...tried.map(([id, result]): Proof => ({ says: `A pod runs on ${id.slice(4)}`, holds: result['ran'] === true, observed: typeof result['says'] === 'string' ? result['says'] : 'not tried' })),
  ]
}

/** Amendments of the draft that might get past a failure: the checks, run on what is known now, offer them. */
function answers(intent: RaiseIntent, view: FleetView, failure: Failure, step: Step) {
  const context = planned(intent, view)
  const rules: Readonly<Record<string, readonly string[]>> = {
    'image-missing': ['image.present'],
    'no-stock': ['size.stock', 'size.zone'],
    'no-room': ['hosts.room'],
    quota: ['quota.cores'],
    'address-taken': ['addresses.static', 'address.free'],
  }
  const wanted = rules[failure.reason] ?? []
  const offered = checks
    .flatMap((check): readonly RawFinding[] => check(context))
    .filter((finding) => wanted.includes(finding.rule))
    .flatMap((finding) => finding.offers ?? [])
  if (failure.reason !== 'no-stock' && failure.reason !== 'unavailable') return offered
  const zone = step.command.args['zone']
  const others = context.site?.zones.filter((other) => other !== zone) ?? []
  const pool = context.machines.find((machine) => machine.name === step.command.args['name'])
  if (!pool || others.length === 0) return offered
  const path = `/${pool.field.replace(/\[(\d+)\]/g, '/$1')}/zones`
  return [...offered, { says: `Put ${pool.pool} in ${listText(others)}`, change: { patchDraft: [{ op: 'add', path, value: others } as const] } }]
}

export const clusterRaise: ChangeKind<RaiseIntent> = {
  name: 'cluster.raise',
  title: 'Raise a cluster',
  intent: raiseIntent,
  needs: (intent) => ['catalogue', 'ledger', 'names', `site:${intent.site}`],
  subjects: (intent) => [ref('cluster', intent.name), ...intent.machines.map((machine) => ref('machine', intent.site, machine.machine))],
  guardedBy: () => null,
  label: (intent) => `raise ${intent.name || 'a cluster'}`,
  check: (intent, view) => {
    const context: Planned = planned(intent, view)
    return checks.flatMap((check) => check(context))
  },
  plan: (intent, view) => raisePlan(planned(intent, view)),
  prove,
  answers,
}
