/** What is computed apart from the event loop of a picture of the fleet: each a question as data, and its answer. */
import type { Finding, Plan, Proof, StepResults } from '~/core/changes'
import { withoutChange } from '~/core/changes'
import { clusterOf, type FleetView, knownObjects, siteOf } from '~/core/fleet'
import { type LedgerCsv, readLedgerCsv, zoneAgainst } from '~/core/ground'
import { type Draft, kindNamed, type Needs } from '~/core/kinds'
import {
  applyIntent,
  changesOf,
  type ObjectChange,
  type ObjectVerdicts,
  readLayers,
  renderedText,
  renderLayers,
  verdictsOn,
} from '~/core/manifests'
import { lanesOf, type WaveLane, type WaveMember } from '~/core/releases/changes'
import { boardObjects, type BoardObject, notPlaced, placed, type Placed } from '~/core/placement'
import type { Pair } from '~/core/storage'
import { type Holder, holdersOf } from '~/core/storage/changes'
import { type PairsShown, pairsShown } from '~/core/storage/pairs-shown'
import { walkedPairs } from '~/core/storage/walked-pairs'
import { type Expected, expectations } from '~/core/wire'
import { verdictWalks } from '~/core/wire/changes'
import { judge, type Judged, unseenBy } from './judge'
import { type CalendarRead, readCalendar } from '../windows/icalendar'
import { type FailedRun, type RunRemedy, runRemedies } from './run-remedies'
import { brokenExpectations, type KnownTrouble, type TroublesAsked, troublesIn } from './troubles'

/** A kind and its intent: a draft as it can be sent. */
export interface DraftText {
  readonly kind: string
  readonly intent: unknown
}

/** For each task what is asked and what is answered. */
export interface Tasks {
  /** A draft judged, or what must be seen first; without what a run of it has taken already. */
  readonly judge: {
    readonly asked: DraftText & {
      readonly seen: Needs
      readonly without: { readonly plan: Plan; readonly change: string } | null
    }
    readonly answer: { readonly judged: Judged } | { readonly needs: Needs }
  }
  /** What a draft is called. */
  readonly label: { readonly asked: DraftText; readonly answer: string }
  readonly prove: {
    readonly asked: DraftText & { readonly results: StepResults }
    readonly answer: readonly Proof[]
  }
  readonly expectations: { readonly asked: object; readonly answer: readonly Expected[] }
  readonly verdicts: {
    readonly asked: { readonly intent: unknown; readonly findings: readonly Finding[] }
    readonly answer: readonly ObjectVerdicts[]
  }
  readonly troubles: { readonly asked: TroublesAsked; readonly answer: readonly KnownTrouble[] }
  readonly 'broken-expectations': {
    readonly asked: object
    readonly answer: readonly KnownTrouble[]
  }
  /** What a manifest would do, object by object. */
  readonly applied: {
    readonly asked: { readonly intent: unknown }
    readonly answer: {
      readonly findings: readonly Finding[]
      readonly changes: readonly ObjectChange[]
    }
  }
  /** Files that people bring, read by the picture. Answers are as long as they are: told as JSON, which crosses threads whole. */
  readonly zone: {
    readonly asked: { readonly text: string; readonly site: string }
    /** Of a `ZoneRead`. */
    readonly answer: string
  }
  readonly ledger: {
    readonly asked: { readonly text: string }
    /** Of a `LedgerRead`. */
    readonly answer: string
  }
  /** A layered file as text of an environment, of its base for null; or why it cannot be. */
  readonly layers: {
    readonly asked: { readonly text: string; readonly environment: string | null }
    readonly answer: LayersText
  }
  /** Clusters on their way to a release, wave by wave. */
  readonly waves: {
    readonly asked: {
      readonly members: readonly WaveMember[]
      readonly to: string
      readonly atOnce: number
      readonly soakSeconds: number
    }
    readonly answer: readonly WaveLane[]
  }
  /** The pairs of a storage network, each walked. */
  readonly pairs: {
    readonly asked: { readonly cluster: string; readonly network: string }
    readonly answer: readonly Pair[]
  }
  /** Of those what a page shows: all of them would take as long to cross threads as to be walked. */
  readonly 'pairs-shown': {
    readonly asked: {
      readonly cluster: string
      readonly network: string
      readonly nodes: readonly (string | null)[]
    }
    readonly answer: PairsShown
  }
  /** Who holds the volumes of a cluster, by a picture with its objects. */
  readonly holders: {
    readonly asked: { readonly cluster: string }
    readonly answer: readonly Holder[]
  }
  /** What stands where in a cluster, as the JSON of a `Placed`, by a picture with its objects. */
  readonly board: { readonly asked: { readonly cluster: string }; readonly answer: string }
  /** The objects that a browser places itself, as JSON. */
  readonly 'board-objects': {
    readonly asked: { readonly cluster: string }
    readonly answer: string
  }
  readonly calendar: { readonly asked: { readonly text: string }; readonly answer: CalendarRead }
  readonly remedies: { readonly asked: FailedRun; readonly answer: readonly RunRemedy[] }
}

function pairsOf(view: FleetView, { cluster, network }: Tasks['pairs']['asked']): readonly Pair[] {
  const storage = clusterOf(view, cluster)?.storage
  return storage ? walkedPairs(view, storage, network) : []
}

const objectsIn = (view: FleetView, cluster: string) =>
  knownObjects(view, cluster) as readonly BoardObject[] | undefined

function boardIn(view: FleetView, cluster: string): Placed {
  const objects = objectsIn(view, cluster)
  return objects
    ? placed(objects, [], () => performance.now())
    : notPlaced('Its API does not answer.')
}

export type ZoneRead = ReturnType<typeof zoneAgainst>

/** What was read of ranges, and the change that enters them. */
export interface LedgerRead {
  readonly good: LedgerCsv['good']
  readonly bad: LedgerCsv['bad']
  /** So many are known already. */
  readonly known: number
  readonly change: {
    readonly kind: 'ledger.enter'
    readonly intent: { readonly add: LedgerCsv['good']; readonly remove: readonly [] }
  } | null
}

function ledgerRead({ good, bad, alreadyKnown }: LedgerCsv): LedgerRead {
  const change = { kind: 'ledger.enter', intent: { add: good, remove: [] } } as const
  return { good, bad, known: alreadyKnown, change: good.length > 0 ? change : null }
}

export type LayersText =
  | { readonly ok: true; readonly text: string }
  | { readonly ok: false; readonly says: string; readonly field: 'text' | 'environment' }

export type TaskName = keyof Tasks
export type Task = { [Name in TaskName]: { readonly task: Name } & Tasks[Name]['asked'] }[TaskName]

function draftOf({ kind, intent }: DraftText): Draft {
  const read = kindNamed(kind)?.read(intent)
  if (!read?.ok) throw new Error(`a draft of ${kind} cannot be read`)
  return read.draft
}

function verdicts(
  { intent, findings }: Tasks['verdicts']['asked'],
  view: FleetView,
): readonly ObjectVerdicts[] {
  const read = applyIntent.safeParse(intent)
  const cluster = read.success ? clusterOf(view, read.data.cluster) : undefined
  return read.success && cluster
    ? verdictsOn(read.data, cluster, view, findings, verdictWalks(read.data, view))
    : []
}

function layersText(text: string, environment: string | null): LayersText {
  const read = readLayers(text)
  if (!read.ok) return { ...read, field: 'text' }
  const rendered = renderLayers(read.file, environment)
  return rendered.ok
    ? { ok: true, text: renderedText(rendered.objects) }
    : { ok: false, says: rendered.says, field: 'environment' }
}

/** Answers a task by a picture. Throws only for errors of the program’s own. */
export function answerTask(task: Task, view: FleetView): Tasks[TaskName]['answer'] {
  switch (task.task) {
    case 'judge': {
      const draft = draftOf(task)
      const needs = unseenBy(draft, view, task.seen)
      if (needs) return { needs }
      const { without } = task
      return {
        judged: judge(draft, without ? withoutChange(view, without.plan, without.change) : view),
      }
    }
    case 'label':
      return draftOf(task).label
    case 'prove':
      return draftOf(task).prove(view, task.results)
    case 'expectations':
      return expectations(view)
    case 'verdicts':
      return verdicts(task, view)
    case 'troubles':
      return troublesIn(task, view)
    case 'broken-expectations':
      return brokenExpectations(view)
    case 'applied':
      return {
        findings: draftOf({ kind: 'manifest.apply', intent: task.intent }).findings(view),
        changes: changesOf(applyIntent.parse(task.intent), view),
      }
    case 'zone': {
      const site = siteOf(view, task.site)
      if (!site) throw new Error(`there is no site ${task.site}`)
      return JSON.stringify(zoneAgainst(task.text, site))
    }
    case 'ledger':
      return JSON.stringify(ledgerRead(readLedgerCsv(task.text, view)))
    case 'layers':
      return layersText(task.text, task.environment)
    case 'waves':
      return lanesOf(view, task.members, task.to, task.atOnce, task.soakSeconds)
    case 'pairs':
      return pairsOf(view, task)
    case 'pairs-shown':
      return pairsShown(pairsOf(view, task), task.nodes)
    case 'holders': {
      const storage = clusterOf(view, task.cluster)?.storage
      const volumes = storage?.volumes.map(({ name }) => name) ?? []
      return storage ? holdersOf(view, task.cluster, storage, volumes) : []
    }
    case 'board':
      return JSON.stringify(boardIn(view, task.cluster))
    case 'board-objects':
      return JSON.stringify(boardObjects(objectsIn(view, task.cluster) ?? []))
    case 'calendar':
      return readCalendar(task.text)
    case 'remedies':
      return runRemedies(task, view)
  }
}
