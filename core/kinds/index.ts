/** The list of everything that can be done. A new capability is entered here and nowhere else. */
import type { z } from 'zod'
import {
  type ApplyChange,
  canonicalJson,
  type ChangeKind,
  type FailedAttempt,
  type Failure,
  type Finding,
  findingsOf,
  type Plan,
  type Proof,
  provenAnswers,
  type RawFinding,
  type Ref,
  type Remedy,
  type SliceKey,
  type Step,
  type StepResults,
} from '../changes'
import { type FleetView, scoped, wholeView } from '../fleet'
import {
  ledgerEnter,
  orphansAdopt,
  orphansRemove,
  siteAdd,
  siteContact,
  siteEdit,
  siteHosts,
  siteMachines,
  siteNetwork,
  siteQuota,
  siteRemove,
  siteService,
  wireRecord,
  wireRoute,
} from '../ground'
import {
  clusterAutoscale,
  clusterBackup,
  clusterLabel,
  clusterRest,
  clusterRestore,
  clusterStart,
  clusterStop,
  machineReplace,
  nodeCordon,
  nodeDrain,
  poolAdd,
  poolEdit,
  poolRemove,
  spendPrices,
  machineRestart,
  poolResize,
  renewCertificates,
} from '../keeping'
import { manifestApply, manifestRemove, workloadRestart, workloadUndo } from '../manifests'
import { clusterRaise, clusterTakedown, imagePlace } from '../provisioning'
import {
  wireCallers,
  wireFirewall,
  wireIngress,
  wireKeepSource,
  wirePolicy,
  wirePool,
  wireShift,
  wireTranslation,
} from '../wire/changes'

import {
  diskAdd,
  diskRetire,
  snapshotRemove,
  snapshotRestore,
  snapshotSchedule,
  snapshotTake,
  storageClass,
  storageGrant,
  storageLink,
  storageNetwork,
  volumeCopies,
  volumeMove,
  volumeResize,
} from '../storage/changes'
import {
  clusterUpgradeKind,
  fleetAsSet,
  fleetMemberKey,
  fleetUpgradeIntent,
  fleetUpgradeName,
  fleetUpgradeOf,
  renewGuard,
} from '../releases/changes'
import {
  imageSign,
  imageWithdraw,
  registryClose,
  registryCredential,
  registryRevoke,
  registryRule,
} from '../registry/changes'
import { shipmentImport, shipmentPack, shipmentSend } from '../shipment/changes'
import { clusterDismiss, clusterEnrol, notHere } from '../reach'
import { withObserved } from '../estimates'
import { holdsAll, type Needs, needsOf } from './needs'
import { memberKey, type SetIntent, setIntent, setName, setRunOf } from '../sets'
import { windowRemove, windowSet } from '../windows'

/** Remedies that would run the same change, or patch the draft alike, are one. */
const isSameRemedy = (a: Remedy, b: Remedy): boolean =>
  canonicalJson(a.change) === canonicalJson(b.change)

/** At most this many remedies are shown for one failed step. */
const remediesPerFailure = 4

const asList = (name: string | null): readonly string[] => (name === null ? [] : [name])

export { everyCluster, type Needs } from './needs'

/** A kind with its intent type closed over: it reads an unknown intent and refuses what does not fit. */
export interface Kind {
  readonly name: string
  readonly title: string
  readonly schema: z.ZodType
  readonly endsHalted: boolean
  readonly read: (intent: unknown) => Read
}

export type Read =
  | { readonly ok: true; readonly draft: Draft }
  | { readonly ok: false; readonly issues: readonly z.core.$ZodIssue[] }

/** A readable intent and what the pipeline can do with it. */
export interface Draft extends Needs {
  readonly intent: unknown
  readonly label: string
  /** What the changes that its findings offer must see, so that each is proven with its own needs. */
  readonly offersNeed: (view: FleetView) => Needs
  readonly findings: (view: FleetView) => readonly Finding[]
  /** Whether a stop stands: checked without looking for remedies. */
  readonly stops: (view: FleetView) => boolean
  readonly plan: (view: FleetView) => Plan
  readonly prove: (view: FleetView, results: StepResults) => readonly Proof[]
  readonly subjects: (view: FleetView) => readonly Ref[]
  readonly guardedBy: (view: FleetView) => string | null
  /** Every guarded cluster whose name has to be typed. */
  readonly guards: (view: FleetView) => readonly string[]
  readonly needs: readonly SliceKey[]
  /** The fleet once this has run, or null if the kind does not say. */
  readonly after: (view: FleetView) => FleetView | null
  readonly answers: (
    view: FleetView,
    failure: Failure,
    step: Step,
    failed: readonly FailedAttempt[],
  ) => readonly Remedy[]
}

/** The kind with every view limited to what it says it needs. */
const inScope = <Intent>(of: ChangeKind<Intent>): ChangeKind<Intent> => {
  const seen = (intent: Intent, view: FleetView): FleetView => scoped(view, of.needs(intent))
  const { after, answers, guards } = of
  // A draft asks twice: for what its offers must see, and for its findings.
  const checked = new WeakMap<FleetView, { intent: Intent; findings: readonly RawFinding[] }>()
  const check = (intent: Intent, view: FleetView): readonly RawFinding[] => {
    const elsewhere = notHere(of.name, intent, view)
    return elsewhere ? [elsewhere] : of.check(intent, seen(intent, view))
  }
  return {
    ...of,
    subjects: (intent, view) => of.subjects(intent, seen(intent, view)),
    guardedBy: (intent, view) => of.guardedBy(intent, seen(intent, view)),
    ...(guards ? { guards: (intent, view) => guards(intent, seen(intent, view)) } : {}),
    check: (intent, view) => {
      const before = checked.get(view)
      if (before?.intent === intent) return before.findings
      const findings = check(intent, view)
      checked.set(view, { intent, findings })
      return findings
    },
    plan: (intent, view) => of.plan(intent, seen(intent, view)),
    prove: (intent, view, results) => of.prove(intent, seen(intent, view), results),
    ...(after ? { after: (intent, view) => wholeView(after(intent, seen(intent, view))) } : {}),
    ...(answers
      ? {
          answers: (intent, view, failure, step, failed) =>
            answers(intent, seen(intent, view), failure, step, failed),
        }
      : {}),
  }
}

function kind<Intent>(given: ChangeKind<Intent>): Kind {
  const of = inScope(given)
  return {
    name: of.name,
    title: of.title,
    schema: of.intent,
    endsHalted: of.endsHalted === true,
    read: (unknown) => {
      const parsed = of.intent.safeParse(unknown)
      if (!parsed.success) return { ok: false, issues: parsed.error.issues }
      const intent = parsed.data
      return {
        ok: true,
        draft: {
          intent,
          get label() {
            return of.label(intent)
          },
          ...needsOf(of.needs(intent)),
          offersNeed: (view) => offersNeed(of.check(intent, view)),
          findings: (view) => findingsOf(of, intent, view, applyChange),
          stops: (view) => of.check(intent, view).some((finding) => finding.level === 'stop'),
          plan: (view) => {
            const plan = of.plan(intent, view)
            return view.timings ? withObserved(plan, view.timings, view.clusters) : plan
          },
          prove: (view, results) => of.prove(intent, view, results),
          subjects: (view) => of.subjects(intent, view),
          guardedBy: (view) => of.guardedBy(intent, view),
          guards: (view) => of.guards?.(intent, view) ?? asList(of.guardedBy(intent, view)),
          needs: of.needs(intent),
          after: (view) => of.after?.(intent, view) ?? null,
          answers: (view, failure, step, failed) => {
            const rules = of.answeredBy?.(failure) ?? []
            const remedies =
              rules.length === 0
                ? []
                : findingsOf(of, intent, view, applyChange)
                    .filter(({ rule }) =>
                      rules.some((prefix) => rule === prefix || rule.startsWith(`${prefix}.`)),
                    )
                    .flatMap((finding) => finding.remedies)
            const offered = of.answers
              ? provenAnswers(
                  of,
                  intent,
                  view,
                  of.answers(intent, view, failure, step, failed),
                  `step|${step.id}`,
                  applyChange,
                )
              : []
            return [...remedies, ...offered]
              .filter(
                (remedy, i, all) =>
                  all.findIndex((otherRemedy) => isSameRemedy(otherRemedy, remedy)) === i,
              )
              .slice(0, remediesPerFailure)
          },
        },
      }
    },
  }
}

export const kinds: readonly Kind[] = [
  kind(clusterRaise),
  kind(clusterTakedown),
  kind(clusterEnrol),
  kind(clusterDismiss),
  kind(imagePlace),
  kind(siteAdd),
  kind(siteEdit),
  kind(siteContact),
  kind(siteRemove),
  kind(ledgerEnter),
  kind(siteService),
  kind(siteQuota),
  kind(siteHosts),
  kind(siteNetwork),
  kind(siteMachines),
  kind(wireRoute),
  kind(wireRecord),
  kind(orphansRemove),
  kind(orphansAdopt),
  kind(poolResize),
  kind(machineRestart),
  kind(machineReplace),
  kind(renewCertificates),
  kind(clusterBackup),
  kind(clusterRestore),
  kind(poolAdd),
  kind(poolEdit),
  kind(poolRemove),
  kind(clusterStop),
  kind(clusterStart),
  kind(clusterRest),
  kind(clusterAutoscale),
  kind(clusterLabel),
  kind(nodeCordon),
  kind(nodeDrain),
  kind(spendPrices),
  kind(windowSet),
  kind(windowRemove),
  kind(manifestApply),
  kind(manifestRemove),
  kind(workloadRestart),
  kind(workloadUndo),
  kind(wireFirewall),
  kind(wireTranslation),
  kind(wireKeepSource),
  kind(wirePool),
  kind(wirePolicy),
  kind(wireCallers),
  kind(wireShift),
  kind(wireIngress),
  kind(storageClass),
  kind(storageGrant),
  kind(storageNetwork),
  kind(storageLink),
  kind(volumeResize),
  kind(volumeCopies),
  kind(volumeMove),
  kind(snapshotTake),
  kind(snapshotRemove),
  kind(snapshotRestore),
  kind(snapshotSchedule),
  kind(diskAdd),
  kind(diskRetire),
  kind(shipmentPack),
  kind(shipmentImport),
  kind(shipmentSend),
  kind(registryRule),
  kind(clusterUpgradeKind),
  kind(renewGuard),
  kind(registryClose),
  kind(registryCredential),
  kind(registryRevoke),
  kind(imageSign),
  kind(imageWithdraw),
  kind(setRunOf((name, intent) => kindNamed(name)?.read(intent) ?? null)),
  kind(fleetUpgradeOf((name, intent) => kindNamed(name)?.read(intent) ?? null)),
]

/** A change that is made of others: the set that it runs as, and the key under which a finding of a member is accepted. */
export interface Composite {
  readonly set: SetIntent
  readonly keyOf: (position: number, finding: Finding) => string
}

/** What a change of a kind is made of; null where it is one of its own. */
export function compositeOf(name: string, intent: unknown): Composite | null {
  if (name === setName) {
    const read = setIntent.safeParse(intent)
    return read.success ? { set: read.data, keyOf: memberKey } : null
  }
  if (name !== fleetUpgradeName) return null
  const read = fleetUpgradeIntent.safeParse(intent)
  return read.success
    ? {
        set: fleetAsSet(read.data),
        keyOf: (position, finding) => fleetMemberKey(read.data, position, finding),
      }
    : null
}

export const kindNamed = (name: string): Kind | undefined =>
  kinds.find((otherKind) => otherKind.name === name)

/** What the changes offered by some findings must see. */
function offersNeed(findings: readonly RawFinding[]): Needs {
  const objectsOf = new Set<string>()
  const walksAt = new Set<string>()
  let published = false
  for (const { change } of findings.flatMap((finding) => finding.offers ?? [])) {
    if ('patchDraft' in change) continue
    const read = kindNamed(change.kind)?.read(change.intent)
    if (!read?.ok) continue
    for (const cluster of read.draft.objectsOf) objectsOf.add(cluster)
    for (const place of read.draft.walksAt) walksAt.add(place)
    published ||= read.draft.published
  }
  return { objectsOf: [...objectsOf], walksAt: [...walksAt], published }
}

/** A remedy that is another change is proven by the fleet it leaves; one that could not run itself proves nothing. Its own remedies are not looked for. */
const applyChange: ApplyChange = (change, view) => {
  const read = kindNamed(change.kind)?.read(change.intent)
  if (!read?.ok || !holdsAll(view, read.draft) || read.draft.stops(view)) return null
  return read.draft.after(view)
}
