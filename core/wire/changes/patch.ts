import jsonPatch from 'fast-json-patch'

export type JsonPatch = Parameters<typeof jsonPatch.applyPatch>[1]

/** A document with a JSON Patch applied; the given one stays as it is. */
export const applyPatch = (document: unknown, patch: JsonPatch): unknown =>
  jsonPatch.applyPatch(structuredClone(document), patch, false, true).newDocument
