/** The change kind `cluster.raise`: from a draft to a cluster whose every node is ready. */
import { saidOf } from '../contract'
import type {
  ChangeKind,
  FailedAttempt,
  Failure,
  Offer,
  Proof,
  RawFinding,
  Step,
  StepResults,
} from '../changes'
import { ref } from '../changes'
import type { FleetView } from '../fleet'
import { clusterOf, clusterState, nodesOf, stateContext } from '../fleet'
import { listText } from '../units'
import { checkBoxes } from './checks/box'
import { checkImage, checkName, checkRelease, checkSite } from './checks/identity'
import { checkPools, checkRootDisks, checkSizes, checkZones } from './checks/machines'
import { checkControlPlane } from './checks/control-plane'
import { checkHostRoom } from './checks/room'
import { checkQuota } from './checks/room'
import { checkStaticAddresses, checkVirtualAddresses } from './checks/held-addresses'
import { checkRanges } from './checks/ranges'
import {
  checkAuthorities,
  checkBootData,
  checkCredentials,
  checkStorageClass,
  checkStores,
} from './checks/surroundings'
import { checkRoute } from './checks/outside'
import { checkMtu } from './checks/outside'
import { checkSubnets } from './checks/outside'
import { checkOutsideQuota } from './checks/outside'
import { checkTime } from './checks/names'
import { checkNameServer } from './checks/names'
import { checkNames } from './checks/names'
import { checkLeases } from './checks/leases'
import type { Check, Planned } from './planned'
import { planned } from './planned'
import type { RaiseIntent } from './raise-intent'
import { raiseIntent } from './raise-intent'
import { raisePlan } from './raise-plan'
import { checkExpects } from './checks/expects'
import { expectProofs } from './expects'
import { said } from './says'

const checkSshKey: Check = ({ intent, view }) =>
  intent.sshKey === undefined || intent.sshKey === '' || view.sshKeys.includes(intent.sshKey)
    ? []
    : [
        {
          level: 'stop',
          rule: 'ssh-key.known',
          field: 'sshKey',
          ...said('ssh-key.known', { sshKey: intent.sshKey }),
          because: [{ ...said('keys', { sshKeys: view.sshKeys }), source: 'key register' }],
          offers: [
            ...view.sshKeys.slice(0, 2).map((key) => ({
              says: `Use ${key}`,
              change: { patchDraft: [{ op: 'replace', path: '/sshKey', value: key } as const] },
            })),
            {
              says: 'Give no key',
              change: { patchDraft: [{ op: 'remove', path: '/sshKey' } as const] },
            },
          ],
        },
      ]

/** Where one cluster drives the others of a site, it should be well before it is given another. */
const checkLifecycle: Check = ({ site, view }) =>
  view.clusters.flatMap((cluster): readonly RawFinding[] => {
    if (!site || cluster.site !== site.name || cluster.drives.length === 0) return []
    const { state, ...cause } = clusterState(cluster, stateContext(view))
    if (state === 'well' || state === 'working') return []
    return [
      {
        level: 'caution',
        rule: 'lifecycle.well',
        about: ref('cluster', cluster.name),
        ...said('lifecycle.well', { cluster: cluster.name, site: site.name, state }),
        because: [{ ...saidOf(cause), source: cluster.name, at: cluster.observedAt }],
      },
    ]
  })

/** More machines than one cluster is drafted with; looked at before any of them is planned. */
const mostMachines = 5000

function tooManyMachines(intent: RaiseIntent): RawFinding | null {
  const machines = intent.pools.reduce(
    (sum, pool) => sum + (pool.count ?? pool.range?.max ?? 0),
    intent.controlPlane.kind === 'own' ? intent.controlPlane.count : 0,
  )
  if (machines <= mostMachines) return null
  return {
    level: 'stop',
    rule: 'pools.machines',
    field: 'pools',
    ...said('pools.machines', { machines, mostMachines }),
    because: [{ ...said('pools.machines.why', { pools: intent.pools.length }), source: 'draft' }],
  }
}

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
  checkSubnets,
  checkRoute,
  checkLeases,
  checkNameServer,
  checkTime,
  checkNames,
  checkStores,
  checkStorageClass,
  checkOutsideQuota,
  checkMtu,
  checkBootData,
  checkAuthorities,
  checkCredentials,
  checkSshKey,
  checkLifecycle,
  checkExpects,
]

/** What stands against more machines, for a draft or for a cluster that stands. */
export const addMachineChecks: readonly Check[] = [
  checkImage,
  checkSizes,
  checkRootDisks,
  checkQuota,
  checkHostRoom,
  checkLeases,
  checkNameServer,
  checkTime,
  checkStores,
  checkCredentials,
]

function prove(intent: RaiseIntent, view: FleetView, results: StepResults): readonly Proof[] {
  const cluster = clusterOf(view, intent.name)
  const nodes = cluster ? nodesOf(cluster) : []
  const wanted = planned(intent, view).machines.length + intent.machines.length
  const ready = nodes.filter((node) =>
    node.conditions.some((condition) => condition.type === 'Ready' && condition.status === 'True'),
  )
  const dns = results['dns']
  const front = results['front']
  const tried = Object.entries(results).filter(([id]) => id.startsWith('try:'))
  return [
    {
      says: 'Its API answers',
      holds: cluster?.apiAnswers === true,
      observed: cluster
        ? `${cluster.endpoint} ${cluster.apiAnswers ? 'answered' : 'did not answer'}`
        : 'no such cluster',
    },
    {
      says: 'Every node is ready',
      holds: nodes.length >= wanted && ready.length === nodes.length,
      observed: `${ready.length} of ${wanted} ready`,
    },
    {
      says: 'Its DNS answers',
      holds: dns?.['answers'] === true,
      observed: typeof dns?.['says'] === 'string' ? dns['says'] : 'not asked',
    },
    ...(front
      ? [
          {
            says: 'It can be reached from outside',
            holds: front['answers'] === true,
            observed: typeof front['says'] === 'string' ? front['says'] : 'not tried',
          },
        ]
      : []),
    ...tried.map(([id, result]): Proof => ({
      says: `A pod runs on ${id.slice(4)}`,
      holds: result['ran'] === true,
      observed: typeof result['says'] === 'string' ? result['says'] : 'not tried',
    })),
    ...expectProofs(intent.name, intent.expects ?? [], view),
  ]
}

/** Where the cause of a failure shows in the check, once the site reports it. */
const shownBy: Readonly<Record<string, readonly string[]>> = {
  'image-missing': ['image.present'],
  'no-stock': ['size.stock', 'size.zone'],
  'size-unknown': ['size.zone', 'size.offered'],
  'no-room': ['hosts.room'],
  'store-full': ['store.room'],
  quota: ['quota.cores'],
  'quota-balancers': ['quota.balancers'],
  'address-taken': ['addresses.static', 'address.free', 'virtual.held'],
  'no-address': ['network.leases'],
  'dhcp-silent': ['network.dhcp'],
  'name-server': ['names.server'],
  'clock-skew': ['time.reachable'],
  'route-missing': ['route.missing'],
}

/** Failures that lie in one machine: it is made anew. */
const machineFlaws = [
  'runtime-failed',
  'agent-silent',
  'machine-died',
  'machine-gone',
  'boot-data-missing',
]

/** A failure this recent is taken to hold still (ms). */
const recentMs = 3_600_000

/** Whether a machine of the same size was refused in a zone, in this run and lately. */
const failedThere = (
  zone: string,
  step: Step,
  failed: readonly FailedAttempt[],
  now: string,
): boolean =>
  failed.some(
    ({ command, cause, at }) =>
      command.verb === step.command.verb &&
      command.args['zone'] === zone &&
      (cause.reason === 'unavailable' ||
        (cause.reason === 'no-stock' && command.args['size'] === step.command.args['size'])) &&
      Date.parse(now) - Date.parse(at) <= recentMs,
  )

/** Amendments of the draft that the check does not offer by itself, because the cause shows nowhere but in the failure. */
function answers(
  intent: RaiseIntent,
  view: FleetView,
  failure: Failure,
  step: Step,
  failed: readonly FailedAttempt[],
): readonly Offer[] {
  const context = planned(intent, view)
  const name = step.command.args['name'] ?? step.command.args['machine']
  const machine = context.machines.find((machine) => machine.name === name)
  if (machineFlaws.includes(failure.reason) && machine) {
    return [
      {
        says: `Make ${machine.name} anew`,
        change: {
          patchDraft: [
            {
              op: 'add',
              path: '/again',
              value: { ...intent.again, [machine.name]: machine.again + 1 },
            } as const,
          ],
        },
      },
    ]
  }
  if (failure.reason === 'boot-data-malformed' || failure.reason === 'boot-data-large') {
    return [
      {
        says: 'Publish the boot data on the boot server and hand over a pointer',
        change: {
          patchDraft: [{ op: 'add', path: '/bootData', value: { handOver: 'published' } } as const],
        },
      },
    ]
  }
  if (failure.reason === 'join-card' && typeof name === 'string') {
    const index = intent.machines.findIndex((otherMachine) => otherMachine.machine === name)
    const better = /use (\S+)\./.exec(failure.says)?.[1]
    const address = step.command.args['address']
    const machineIntent = intent.machines[index]
    if (better === undefined || !machineIntent || typeof address !== 'string') return []
    return [
      {
        says: `Use ${better} for ${name}`,
        change: {
          patchDraft: [
            {
              op: 'replace',
              path: `/machines/${index}`,
              value: { ...machineIntent, card: better, address },
            } as const,
          ],
        },
      },
    ]
  }
  if (failure.reason !== 'no-stock' && failure.reason !== 'unavailable') return []
  const others = (context.site?.zones ?? []).filter(
    (zone) => zone !== step.command.args['zone'] && !failedThere(zone, step, failed, view.now),
  )
  if (!machine || others.length === 0) return []
  const path = `/${machine.field.replace(/\[(\d+)\]/g, '/$1')}/zones`
  return [
    {
      says: `Put ${machine.pool} in ${listText(others)}`,
      change: { patchDraft: [{ op: 'add', path, value: others } as const] },
    },
  ]
}

export const clusterRaise: ChangeKind<RaiseIntent> = {
  name: 'cluster.raise',
  title: 'Raise a cluster',
  intent: raiseIntent,
  needs: (intent) => [
    'catalogue',
    'ledger',
    'names',
    `site:${intent.site}`,
    ...((intent.expects ?? []).length > 0 ? [`walks:cluster/${intent.name}` as const] : []),
  ],
  subjects: (intent) => [
    ref('cluster', intent.name),
    ...intent.machines.map((machine) => ref('machine', intent.site, machine.machine)),
  ],
  guardedBy: () => null,
  label: (intent) => `raise ${intent.name || 'a cluster'}`,
  check: (intent, view) => {
    const many = tooManyMachines(intent)
    if (many) return [many]
    const context: Planned = planned(intent, view)
    return checks.flatMap((check) => check(context))
  },
  plan: (intent, view) => raisePlan(planned(intent, view)),
  prove,
  answeredBy: (failure) => shownBy[failure.reason] ?? [],
  answers,
}
