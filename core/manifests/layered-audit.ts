/** A layered file judged as what it becomes: each environment is rendered, and what goes is told with the layer that says so. */
import { isMap, isNode, isScalar, LineCounter } from 'yaml'
import { apiDocument } from '../objects'
import { auditManifests } from './audit'
import type { GoingLive } from './going'
import { type LayeredFile, readLayers, renderedText, renderLayers } from './layers'

export interface LayeredGoing extends GoingLive {
  /** Environments that hold it; none is the base alone. */
  readonly environments: readonly string[]
  /** The layer that says its version: `base` or an environment. */
  readonly layer: string
  /** Where that stands in the file, from 1: the object in the base, or the environment. */
  readonly line: number
}

export interface LayeredAudit {
  readonly found: readonly LayeredGoing[]
  /** Environments that cannot be rendered, and why. */
  readonly unrendered: readonly {
    readonly environment: string
    readonly line: number
    readonly says: string
  }[]
  /** How many objects the base holds. */
  readonly objects: number
}

/** Whether a text is a layered file, going by its first field; one that is broken is, too. */
export const isLayered = (text: string): boolean => /^layers:\s*\d+\s*$/m.test(text.slice(0, 2000))

/** Lines of the objects of the base, by their index, and of the environments, by name. */
function linesOf(text: string) {
  const counter = new LineCounter()
  const document = apiDocument(text, counter)
  const lineOf = (node: unknown): number =>
    isNode(node) && node.range ? counter.linePos(node.range[0]).line : 1
  const environments = document.get('environments', true)
  const keys = isMap(environments) ? environments.items.map(({ key }) => key) : []
  return {
    base: (index: number): number => lineOf(document.getIn(['base', index, 'apiVersion'], true)),
    environment: (name: string): number =>
      lineOf(keys.find((key) => isScalar(key) && String(key.value) === name)),
  }
}

function auditOf(text: string, file: LayeredFile, target: string): LayeredAudit {
  const lines = linesOf(text)
  const names = Object.keys(file.environments)
  const entries = new Map<string, LayeredGoing>()
  const unrendered: LayeredAudit['unrendered'][number][] = []
  for (const environment of names.length === 0 ? [null] : names) {
    const rendered = renderLayers(file, environment)
    if (!rendered.ok) {
      unrendered.push({
        environment: environment ?? 'base',
        line: environment === null ? 1 : lines.environment(environment),
        says: rendered.says,
      })
      continue
    }
    for (const entry of auditManifests(renderedText(rendered.objects), target).found) {
      const { document, line: _line, ...going } = entry
      const layer = rendered.objects[document]?.from.get('/apiVersion') ?? 'base'
      const key = [going.apiVersion, going.kind, going.namespace, going.name, layer].join(' ')
      const before = entries.get(key)
      entries.set(key, {
        ...going,
        layer,
        line: layer === 'base' ? lines.base(document) : lines.environment(layer),
        environments: [
          ...(before?.environments ?? []),
          ...(environment === null ? [] : [environment]),
        ],
      })
    }
  }
  return { found: [...entries.values()], unrendered, objects: file.base.length }
}

/** The audit of a layered file for a minor, or what is wrong with the file. */
export function layeredAudit(
  text: string,
  target: string,
):
  | { readonly ok: true; readonly audit: LayeredAudit }
  | { readonly ok: false; readonly says: string } {
  const read = readLayers(text)
  return read.ok ? { ok: true, audit: auditOf(text, read.file, target) } : read
}
