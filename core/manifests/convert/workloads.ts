/** Deployments, stateful and daemon sets, replica sets: what their old versions filled in by themselves. */
import { isMap, isScalar, type YAMLMap } from 'yaml'
import { asText, labelSelectorSchema, selectorTest } from '../../objects'
import type { Conversion } from './conversion'
import { fresh, type FreshValue } from './fresh'
import { said } from './says'

const unbounded = 2_147_483_647

const isRecord = (value: unknown): value is Readonly<Record<string, unknown>> =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

const isEmpty = (value: unknown): boolean =>
  value === null ||
  value === undefined ||
  (Array.isArray(value) ? value.length === 0 : isRecord(value) && Object.keys(value).length === 0)

/** Whether a selector selects by nothing. */
export const isEmptySelector = (selector: unknown): boolean =>
  isRecord(selector) && isEmpty(selector['matchLabels']) && isEmpty(selector['matchExpressions'])

/** The labels of a template, each with its value as it is written. */
function labelsOf(conversion: Conversion, spec: YAMLMap): readonly Label[] {
  const template = conversion.node(spec, 'template')
  const metadata = isMap(template) ? conversion.node(template, 'metadata') : null
  const labels = isMap(metadata) ? conversion.node(metadata, 'labels') : null
  if (!isMap(labels)) return []
  return labels.items.flatMap(({ key, value }) =>
    isScalar(key) && isScalar(value)
      ? [
          {
            // A key such as n is a text here, whatever YAML makes of it.
            key: typeof key.value === 'string' ? key.value : conversion.editor.sourceOf(key),
            written: { scalar: value, source: conversion.editor.sourceOf(value) },
          },
        ]
      : [],
  )
}

interface Label {
  readonly key: string
  readonly written: FreshValue
}

/** The labels of a template as a reader has them, with what is merged into them. */
function plainLabels(conversion: Conversion, spec: YAMLMap): Readonly<Record<string, string>> {
  const template = conversion.value(spec, 'template')
  const metadata = isRecord(template) ? template['metadata'] : null
  const labels = isRecord(metadata) ? metadata['labels'] : null
  return isRecord(labels)
    ? Object.fromEntries(Object.entries(labels).map(([key, value]) => [key, asText(value)]))
    : {}
}

function selects(conversion: Conversion, spec: YAMLMap): void {
  const labels = labelsOf(conversion, spec)
  const selector = conversion.value(spec, 'selector')
  if (isEmpty(selector) && !isMap(conversion.node(spec, 'selector'))) {
    const plain = Object.entries(plainLabels(conversion, spec))
    if (plain.length === 0) return conversion.ask(said('selector-none'))
    // What is merged in stands elsewhere: it is written out.
    const entries =
      labels.length === plain.length
        ? labels.map(({ key, written }) => fresh(key, written))
        : plain.map(([key, value]) => fresh(key, value))
    conversion.editor.map(spec).add(fresh('selector', [fresh('matchLabels', entries)]), 'replicas')
    return conversion.note(
      'spec.selector',
      said('needed', { text: 'a selector of the labels of its template' }),
    )
  }
  const read = labelSelectorSchema.safeParse(selector)
  const own = plainLabels(conversion, spec)
  if (isEmptySelector(selector) || !read.success || !selectorTest(read.data)(own))
    conversion.ask(said('selector-differs'))
}

function rollsOneByOne(conversion: Conversion, spec: YAMLMap): void {
  const path = 'spec.strategy'
  const surge = [fresh('maxSurge', 1), fresh('maxUnavailable', 1)]
  if (conversion.isAbsent(spec, 'strategy')) {
    conversion.editor.map(spec).add(fresh('strategy', [fresh('rollingUpdate', surge)]))
    return conversion.note(
      `${path}.rollingUpdate`,
      said('written', { text: 'maxSurge: 1, maxUnavailable: 1' }),
    )
  }
  const strategy = conversion.mapAt(spec, 'strategy', path)
  if (!strategy || conversion.text(strategy, 'type') === 'Recreate') return
  if (conversion.isAbsent(strategy, 'rollingUpdate')) {
    conversion.editor.map(strategy).add(fresh('rollingUpdate', surge))
    return conversion.note(
      `${path}.rollingUpdate`,
      said('written', { text: 'maxSurge: 1, maxUnavailable: 1' }),
    )
  }
  const rolling = conversion.mapAt(strategy, 'rollingUpdate', `${path}.rollingUpdate`)
  if (!rolling) return
  conversion.default(rolling, `${path}.rollingUpdate`, 'maxSurge', 1)
  conversion.default(rolling, `${path}.rollingUpdate`, 'maxUnavailable', 1)
}

function updatesOnDelete(conversion: Conversion, spec: YAMLMap): void {
  const path = 'spec.updateStrategy'
  const onDelete = fresh('type', 'OnDelete')
  if (conversion.isAbsent(spec, 'updateStrategy')) {
    conversion.editor.map(spec).add(fresh('updateStrategy', [onDelete]))
    return conversion.note(path, said('written', { text: 'type: OnDelete' }))
  }
  const strategy = conversion.mapAt(spec, 'updateStrategy', path)
  if (strategy) conversion.default(strategy, path, 'type', 'OnDelete')
}

/** To `apps/v1`. */
export function convertWorkload(conversion: Conversion, kind: string): void {
  const { root, from } = conversion
  const spec = conversion.mapAt(root, 'spec', 'spec')
  if (!spec) return conversion.ask(said('selector-none'))
  selects(conversion, spec)
  if (kind === 'Deployment') conversion.remove(spec, 'spec', 'rollbackTo')
  if (kind === 'DaemonSet') conversion.remove(spec, 'spec', 'templateGeneration')
  if (kind === 'Deployment' && from === 'extensions/v1beta1') {
    rollsOneByOne(conversion, spec)
    conversion.default(spec, 'spec', 'progressDeadlineSeconds', unbounded)
    conversion.default(spec, 'spec', 'revisionHistoryLimit', unbounded)
  }
  if (kind === 'Deployment' && from === 'apps/v1beta1')
    conversion.default(spec, 'spec', 'revisionHistoryLimit', 2)
  if (
    (kind === 'DaemonSet' && from === 'extensions/v1beta1') ||
    (kind === 'StatefulSet' && from === 'apps/v1beta1')
  )
    updatesOnDelete(conversion, spec)
}
