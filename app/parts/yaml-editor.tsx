/** The editor for manifests: YAML with what is wrong marked at its line, and completion of kinds and fields. */
import {
  autocompletion,
  type CompletionContext,
  type CompletionResult,
} from '@codemirror/autocomplete'
import { yaml } from '@codemirror/lang-yaml'
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import { linter, lintGutter, type Diagnostic } from '@codemirror/lint'
import CodeMirror, { EditorView } from '@uiw/react-codemirror'
import { tags } from '@lezer/highlight'
import { useMemo } from 'react'
import { fieldsAt, invalidities, parseManifests, placeIn, servedAs } from '~/core/manifests'
import { pageNonce } from '../theme/page-nonce'

function complete(context: CompletionContext): CompletionResult | null {
  const kind = context.matchBefore(/kind:\s*\w*/)
  if (kind)
    return {
      from: kind.from + (/kind:\s*/.exec(kind.text)?.[0].length ?? 0),
      options: Object.keys(servedAs).map((label) => ({
        label,
        type: 'class',
        detail: servedAs[label] ?? '',
      })),
    }
  const version = context.matchBefore(/apiVersion:\s*[\w./]*/)
  if (version)
    return {
      from: version.from + (/apiVersion:\s*/.exec(version.text)?.[0].length ?? 0),
      options: [...new Set(Object.values(servedAs))].map((label) => ({ label, type: 'constant' })),
    }
  const word = context.matchBefore(/^\s*(- )*\w+/)
  if (!word) return null
  const line = context.state.doc.lineAt(context.pos)
  const place = placeIn(context.state.doc.toString(), line.number - 1, context.pos - line.from)
  const existing = fieldsAt(place.kind, place.path)
  return existing.length === 0
    ? null
    : {
        from: word.from + (/^\s*(- )?/.exec(word.text)?.[0].length ?? 0),
        options: existing.map((label) => ({
          label,
          type: 'property',
          apply: `${label}: `,
          detail: place.path.at(-1) ?? place.kind,
        })),
      }
}

/** What is wrong, at the line where it is. */
function marks(view: EditorView): readonly Diagnostic[] {
  const text = view.state.doc
  const read = parseManifests(text.toString())
  const at = (line: number): { from: number; to: number } => {
    const matchingLine = text.line(Math.min(Math.max(1, line), text.lines))
    return { from: matchingLine.from, to: matchingLine.to }
  }
  return [
    ...read.problems.map((problem): Diagnostic => ({
      ...at(problem.line),
      severity: 'error',
      message: problem.says,
    })),
    ...read.documents.flatMap(({ object, line }) =>
      invalidities(object).map((wrong): Diagnostic => ({
        ...at(line),
        severity: 'warning',
        message: `${wrong.path}: ${wrong.says}`,
      })),
    ),
  ]
}

const inks = syntaxHighlighting(
  HighlightStyle.define([
    {
      tag: [tags.propertyName, tags.definition(tags.propertyName)],
      color: 'var(--petrol)',
      fontWeight: '600',
    },
    { tag: tags.comment, color: 'var(--ink-soft)', fontStyle: 'italic' },
    { tag: [tags.separator, tags.punctuation, tags.meta], color: 'var(--ink-soft)' },
    { tag: [tags.string, tags.content, tags.number, tags.bool], color: 'var(--ink)' },
  ]),
)

const look = EditorView.theme({
  '&': {
    backgroundColor: 'var(--sheet)',
    color: 'var(--ink)',
    fontSize: '12.5px',
    border: '1px solid var(--border)',
    borderRadius: '3px',
  },
  '.cm-content': { fontFamily: 'var(--mono)', fontStretch: '75%', caretColor: 'var(--ink)' },
  '.cm-gutters': {
    backgroundColor: 'var(--ground)',
    color: 'var(--ink-soft)',
    border: 'none',
    borderRight: '1px solid var(--line)',
  },
  '&.cm-focused': { outline: '2px solid var(--brass)', outlineOffset: '-2px' },
  '.cm-activeLine, .cm-activeLineGutter': {
    backgroundColor: 'color-mix(in srgb, var(--petrol) 8%, transparent)',
  },
  '.cm-selectionBackground': {
    backgroundColor: 'color-mix(in srgb, var(--petrol) 25%, transparent) !important',
  },
  '.cm-tooltip': {
    backgroundColor: 'var(--sheet)',
    color: 'var(--ink)',
    border: '1px solid var(--border)',
  },
})

export interface YamlEditorProps {
  readonly value: string
  readonly label: string
  readonly height: string
  /** Whether the text is manifests, which are checked as they are typed. */
  readonly manifests: boolean
  readonly onChange: (text: string) => void
  /** The field it takes the place of had the focus. */
  readonly autoFocus: boolean
}

export default function YamlEditor({
  value,
  label,
  height,
  manifests,
  onChange,
  autoFocus,
}: YamlEditorProps) {
  const extensions = useMemo(
    () => [
      yaml(),
      inks,
      look,
      EditorView.lineWrapping,
      EditorView.cspNonce.of(pageNonce() ?? ''),
      EditorView.contentAttributes.of({ 'aria-label': label, tabindex: '0' }),
      ...(manifests
        ? [linter(marks, { delay: 300 }), lintGutter(), autocompletion({ override: [complete] })]
        : []),
    ],
    [label, manifests],
  )
  return (
    <>
      <CodeMirror
        autoFocus={autoFocus}
        value={value}
        height={height}
        theme="none"
        extensions={extensions}
        onChange={onChange}
        basicSetup={{
          foldGutter: false,
          highlightActiveLine: true,
          autocompletion: false,
          syntaxHighlighting: false,
        }}
      />
      <p className="soft editor-way-out">Tab indents; Escape, then Tab, leaves the editor.</p>
    </>
  )
}
