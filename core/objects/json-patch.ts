/** JSON Patch (RFC 6902), held to its public test cases. */
import jsonPatch, { type Operation } from 'fast-json-patch'

export type JsonPatched =
  { readonly ok: true; readonly value: unknown } | { readonly ok: false; readonly says: string }

/** A value with a patch applied, or why it cannot be; what is given stays as it is. */
export function applyJsonPatch(value: unknown, patch: unknown): JsonPatched {
  try {
    const operations = structuredClone(patch) as Operation[]
    return {
      ok: true,
      value: jsonPatch.applyPatch(structuredClone(value), operations, true, false).newDocument,
    }
  } catch (error) {
    return {
      ok: false,
      says: error instanceof Error ? (error.message.split('\n')[0] ?? '') : 'it cannot be applied',
    }
  }
}
