/** A layered file judged as what it becomes: each environment is rendered, and what goes is told with the layer that says so. */
import { auditManifests } from './audit'
import type { GoingLive } from './going'
import { type LayeredFile, readLayers, renderedText, renderLayers } from './layers'

export interface LayeredGoing extends GoingLive {
  /** Environments that hold it; none is the base alone. */
  readonly environments: readonly string[]
  /** The layer that says its version: `base` or an environment. */
  readonly layer: string
}

export interface LayeredAudit {
  readonly found: readonly LayeredGoing[]
  /** Environments that cannot be rendered, and why. */
  readonly unrendered: readonly { readonly environment: string; readonly says: string }[]
}

/** Whether a text is a layered file, going by its first field; one that is broken is, too. */
export const isLayered = (text: string): boolean => /^layers:\s*\d+\s*$/m.test(text.slice(0, 2000))

function auditOf(file: LayeredFile, target: string): LayeredAudit {
  const names = Object.keys(file.environments)
  const entries = new Map<string, LayeredGoing>()
  const unrendered: { environment: string; says: string }[] = []
  for (const environment of names.length === 0 ? [null] : names) {
    const rendered = renderLayers(file, environment)
    if (!rendered.ok) {
      unrendered.push({ environment: environment ?? 'base', says: rendered.says })
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
        environments: [
          ...(before?.environments ?? []),
          ...(environment === null ? [] : [environment]),
        ],
      })
    }
  }
  return { found: [...entries.values()], unrendered }
}

/** The audit of a layered file for a minor, or what is wrong with the file. */
export function layeredAudit(
  text: string,
  target: string,
):
  | { readonly ok: true; readonly audit: LayeredAudit }
  | { readonly ok: false; readonly says: string } {
  const read = readLayers(text)
  return read.ok ? { ok: true, audit: auditOf(read.file, target) } : read
}
