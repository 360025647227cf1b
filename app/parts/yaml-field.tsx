/**
 * Where YAML is written. It is a plain field until somebody points at it or moves into it: the editor is large, and is
 * brought then, with what was typed meanwhile.
 */
import { type ComponentType, useRef, useState } from 'react'
import { Field } from '../kit/field'
import type { YamlEditorProps } from './yaml-editor'

type Editor = ComponentType<YamlEditorProps>

let editor: Editor | null = null

export function YamlField(props: Omit<YamlEditorProps, 'autoFocus'>) {
  const [ready, setReady] = useState<{ readonly editor: Editor } | null>(null)
  const isWanted = useRef(false)
  const hasFocus = useRef(false)
  const touch = (): void => {
    if (isWanted.current) return
    isWanted.current = true
    void import('./yaml-editor').then((module) => {
      editor = module.default
      setReady({ editor: module.default })
    })
  }
  const Ready = ready?.editor ?? editor
  if (Ready) return <Ready {...props} autoFocus={hasFocus.current} />
  return (
    <div
      onPointerEnter={touch}
      onFocus={() => {
        hasFocus.current = true
        touch()
      }}
      onBlur={() => {
        hasFocus.current = false
      }}
    >
      <Field
        label={props.label}
        hideLabel
        mono
        rows={16}
        value={props.value}
        onChange={props.onChange}
        width="100%"
      />
    </div>
  )
}
