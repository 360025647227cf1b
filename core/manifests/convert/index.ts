/**
 * A text of documents with what stops being served written in the version that takes its place. Comments, order, quotes and
 * every line that need not change stay as they are; what is not for a rule to decide stays, with the question.
 * Source: computations 9. O(text), and what a rule reads of each object that it changes.
 */
import { type Document, isAlias, isMap, isScalar, LineCounter, type YAMLMap } from 'yaml'
import { type Heard, readDocuments } from '../../objects'
import { auditDocuments, type RemovalAudit, type UnreadDocument } from '../audit'
import { isServedUntil, type Removal, removalOf, servesSuccessor } from '../removed'
import { convertAutoscaler } from './autoscalers'
import { Conversion, type NotedChange, SharedPlace } from './conversion'
import { convertDefinition } from './definitions'
import { convertIngress } from './ingress'
import { said } from './says'
import {
  convertBudget,
  convertEndpoints,
  convertNothing,
  convertPriorityLevel,
  convertReview,
  convertSigningRequest,
  convertWebhooks,
} from './small-rules'
import { convertWorkload } from './workloads'

interface OfObject {
  readonly document: number
  readonly kind: string
  readonly name: string | null
}

export interface ConvertedObject extends OfObject {
  readonly from: string
  readonly to: string
  readonly changes: readonly NotedChange[]
}

export interface LeftObject extends OfObject {
  readonly apiVersion: string
  /** What a person has to decide. */
  readonly decide: string
}

export interface LaterObject extends OfObject {
  readonly apiVersion: string
}

export interface ConvertedManifests {
  readonly manifests: string
  readonly converted: readonly ConvertedObject[]
  readonly left: readonly LeftObject[]
  /** What has no successor at the target yet. */
  readonly later: readonly LaterObject[]
  readonly unreadable: readonly UnreadDocument[]
}

type Rule = (conversion: Conversion, kind: string) => void

const workload: Rule = convertWorkload

const rules: Readonly<Record<string, Rule>> = {
  Deployment: workload,
  DaemonSet: workload,
  ReplicaSet: workload,
  StatefulSet: workload,
  Ingress: convertIngress,
  CustomResourceDefinition: convertDefinition,
  MutatingWebhookConfiguration: convertWebhooks,
  ValidatingWebhookConfiguration: convertWebhooks,
  EndpointSlice: convertEndpoints,
  PriorityLevelConfiguration: convertPriorityLevel,
  CertificateSigningRequest: convertSigningRequest,
  PodDisruptionBudget: convertBudget,
  SubjectAccessReview: convertReview,
  LocalSubjectAccessReview: convertReview,
}

function ruleOf(apiVersion: string, kind: string): Rule {
  if (kind === 'HorizontalPodAutoscaler')
    return apiVersion === 'autoscaling/v2beta1' ? convertAutoscaler : convertNothing
  return rules[kind] ?? convertNothing
}

/** Where the successor of a row is gone itself at the target, nothing takes its place. */
function successorOf(removal: Removal, kind: string, target: string): string | null {
  if (removal.successor === null) return null
  const next = removalOf(removal.successor, kind)
  return next && next.successor === null && !isServedUntil(next, target) ? null : removal.successor
}

/** What stands in several places at once, by the error that says so; null for any other. */
function sharedIn(error: unknown): string | null {
  if (error instanceof SharedPlace) return error.path
  // The library refuses to write out what refers to itself again and again.
  return error instanceof ReferenceError ? 'spec' : null
}

class Converter {
  readonly converted: ConvertedObject[] = []
  readonly left: LeftObject[] = []
  readonly later: LaterObject[] = []
  readonly edits: { readonly start: number; readonly end: number; readonly text: string }[] = []
  private readonly done = new Set<YAMLMap>()

  constructor(
    private readonly source: string,
    private readonly target: string,
  ) {}

  object(document: Document, node: YAMLMap, index: number): void {
    const apiVersion = textAt(document, node, 'apiVersion')
    const kind = textAt(document, node, 'kind')
    const row = removalOf(apiVersion, kind)
    if (!row || this.done.has(node)) return
    this.done.add(node)
    const metadata = node.get('metadata', true)
    const holder = isAlias(metadata) ? metadata.resolve(document) : metadata
    const name = isMap(holder) ? textAt(document, holder, 'name') : ''
    const of = { document: index, kind, name: name === '' ? null : name }
    const successor = successorOf(row, kind, this.target)
    if (successor === null)
      this.left.push({ ...of, apiVersion, decide: said('no-successor', { kind }).says })
    else if (!servesSuccessor(row, this.target)) this.later.push({ ...of, apiVersion })
    else this.convert(document, node, of, apiVersion, successor)
  }

  private convert(document: Document, node: YAMLMap, of: OfObject, from: string, to: string): void {
    const conversion = new Conversion(this.source, document, node, from)
    const version = node.get('apiVersion', true)
    try {
      if (isAlias(version)) throw new SharedPlace('apiVersion')
      ruleOf(from, of.kind)(conversion, of.kind)
      if (isScalar(version)) conversion.editor.replace(version, to)
    } catch (error) {
      const path = sharedIn(error)
      if (path === null) throw error
      conversion.ask(said('alias-changes', { path }))
    }
    if (conversion.decide.length > 0) {
      this.left.push({ ...of, apiVersion: from, decide: conversion.decide.join(' ') })
      return
    }
    this.edits.push(conversion.editor.edit())
    this.converted.push({
      ...of,
      from,
      to,
      changes: [
        { path: 'apiVersion', says: said('version', { from, to }).says },
        ...conversion.changes,
      ],
    })
  }

  /** The text with every edit made. */
  text(): string {
    let at = 0
    const pieces: string[] = []
    for (const { start, end, text } of [...this.edits].sort((a, b) => a.start - b.start)) {
      if (start < at) continue
      pieces.push(this.source.slice(at, start), text)
      at = end
    }
    pieces.push(this.source.slice(at))
    return pieces.join('')
  }
}

function textAt(document: Document, map: YAMLMap, key: string): string {
  const given = map.get(key, true)
  const node: unknown = isAlias(given) ? given.resolve(document) : given
  return isScalar(node) && typeof node.value === 'string' ? node.value : ''
}

/** Converts a text for a minor release (`1.33`). */
export function convertManifests(text: string, target: string): ConvertedManifests {
  return auditAndConvert(text, target).converted
}

/** How much of the work is reading. */
const readingShare = 0.8

/** Audits and converts a text, which is read once; `heard` is told how much is done. */
export function auditAndConvert(
  text: string,
  target: string,
  heard: Heard = () => undefined,
): { readonly audit: RemovalAudit; readonly converted: ConvertedManifests } {
  const counter = new LineCounter()
  const documents = readDocuments(text, counter, (share) => heard(share * readingShare))
  const converter = new Converter(text, target)
  const audit = auditDocuments(documents, counter, target, (document, node, index) => {
    converter.object(document, node, index)
    heard(readingShare + ((1 - readingShare) * (index + 1)) / documents.length)
  })
  const { converted, left, later } = converter
  return {
    audit,
    converted: {
      manifests: converter.text(),
      converted,
      left,
      later,
      unreadable: audit.unreadable,
    },
  }
}
