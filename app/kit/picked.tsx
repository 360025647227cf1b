import { type ComponentType, useEffect, useRef, useState } from 'react'
import { Field } from './field'
import type { PickerProps } from './picker-parts'

type Picker = ComponentType<PickerProps>

/** A field as text until it is gone to, by pointer or keyboard: its picker is loaded then, and takes the focus over. */
export function picked(load: () => Promise<{ readonly default: Picker }>, usualWidth: number) {
  let loaded: Picker | null = null
  return function Picked(props: PickerProps) {
    const { label, value, help, error, width = usualWidth } = props
    const [isWanted, setWanted] = useState(false)
    const [picker, setPicker] = useState<{ readonly Part: Picker; readonly isHeld: boolean }>()
    const holder = useRef<HTMLSpanElement>(null)
    useEffect(() => {
      if (!isWanted) return
      let isGone = false
      const show = (Part: Picker): void => {
        const isHeld = holder.current?.contains(document.activeElement) === true
        loaded = Part
        if (!isGone) setPicker({ Part, isHeld })
      }
      if (loaded) show(loaded)
      // Without a network the field stays as text.
      else void load().then(({ default: Part }) => show(Part), ignored)
      return () => {
        isGone = true
      }
    }, [isWanted])
    if (picker) return <picker.Part {...props} width={width} autoFocus={picker.isHeld} />
    const want = (): void => setWanted(true)
    return (
      <span ref={holder} onPointerEnter={want} onFocus={want}>
        <Field label={label} value={value} width={width} help={help} error={error} />
      </span>
    )
  }
}

const ignored = (): void => undefined
