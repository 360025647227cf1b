/** Drafts as files: `{ "gyrarch": "draft/1", "kind", "title", "intent" }`, in JSON or in YAML, as they were taken away. */
import { LineCounter } from 'yaml'
import { apiDocument } from '~/core/objects'
import { Refusal } from './errors'

/** What a text in YAML says; JSON is read as the YAML that it is. Throws a refusal that names the line. */
export function yamlBody(text: string): unknown {
  const counter = new LineCounter()
  const document = apiDocument(text, counter)
  const [error] = document.errors
  if (error) {
    const says = `Line ${counter.linePos(error.pos[0]).line}: ${error.message.split(' at line ')[0] ?? ''}.`
    throw new Refusal('invalid', `The text is not valid YAML. ${says}`, [{ path: '', says }])
  }
  try {
    return document.toJS({ maxAliasCount: 100 })
  } catch {
    throw new Refusal('invalid', 'The text is not valid YAML: it refers to itself too often.', [
      { path: '', says: 'has too many aliases' },
    ])
  }
}

export interface DraftFile {
  readonly kind: string
  readonly intent: unknown
  readonly title: string | null
}

/** Reads a draft file; a text that begins with a brace is read as JSON. */
export function readDraftFile(text: string): DraftFile {
  let file: unknown
  if (/^\s*[{[]/.test(text))
    try {
      file = JSON.parse(text)
    } catch (error) {
      throw new Refusal(
        'invalid',
        `The file is not valid JSON: ${error instanceof Error ? error.message : 'it cannot be read'}`,
      )
    }
  else file = yamlBody(text)
  const draft: Readonly<Record<string, unknown>> =
    typeof file === 'object' && file !== null ? { ...file } : {}
  if (draft['gyrarch'] !== 'draft/1')
    throw new Refusal('invalid', 'The file is no shared draft: it lacks "gyrarch": "draft/1".')
  if (typeof draft['kind'] !== 'string')
    throw new Refusal('invalid', 'The draft names no kind of change.')
  return {
    kind: draft['kind'],
    intent: draft['intent'],
    title: typeof draft['title'] === 'string' ? draft['title'].slice(0, 120) : null,
  }
}
