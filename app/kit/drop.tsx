/** A place to drop a file on, or to choose one by keyboard. */
import Button from '@mui/material/Button'
import { type ReactNode, useState } from 'react'
import { type FileRejection, useDropzone } from 'react-dropzone'
import { Notice } from './notice'

export interface DropProps {
  /** What the file is, as in “Drop a shared draft here”. */
  readonly what: string
  /** Media types and the endings of their files: `{ 'text/csv': ['.csv'] }`. */
  readonly accept: Readonly<Record<string, readonly string[]>>
  readonly maxBytes: number
  /** Told the text of the file. */
  readonly onText?: (text: string, name: string) => void
  /** Told the file itself, where it is no text. */
  readonly onFile?: (file: File) => void
  /** Why the last file was not taken by what read it. */
  readonly refused?: string | null | undefined
  readonly children?: ReactNode
}

const sizeText = (bytes: number): string => {
  if (bytes >= 1024 ** 3) return `${Math.round(bytes / 1024 ** 3)} GiB`
  return bytes >= 1024 ** 2
    ? `${Math.round(bytes / 1024 ** 2)} MiB`
    : `${Math.round(bytes / 1024)} KiB`
}

function whyNot({ file, errors }: FileRejection, { what, accept, maxBytes }: DropProps): string {
  const isTooLarge = errors.some((error) => error.code === 'file-too-large')
  if (isTooLarge) return `It is ${sizeText(file.size)}; a ${what} is at most ${sizeText(maxBytes)}.`
  if (errors.some((error) => error.code === 'too-many-files')) return 'Drop one file at a time.'
  return `A ${what} ends in ${Object.values(accept).flat().join(' or ')}.`
}

const withArticle = (what: string): string => `${/^[aeiou]/i.test(what) ? 'an' : 'a'} ${what}`

export function Drop(props: DropProps) {
  const { what, accept, maxBytes, onText, onFile, children } = props
  const [last, setLast] = useState<{ readonly name: string; readonly why: string | null } | null>(
    null,
  )
  const { getRootProps, getInputProps, isDragActive, open } = useDropzone({
    accept: Object.fromEntries(Object.entries(accept).map(([type, ends]) => [type, [...ends]])),
    maxSize: maxBytes,
    multiple: false,
    noClick: true,
    noKeyboard: true,
    onDrop: (files, rejections) => {
      const [file] = files
      const [rejection] = rejections
      if (rejection) setLast({ name: rejection.file.name, why: whyNot(rejection, props) })
      else if (file) {
        setLast({ name: file.name, why: null })
        onFile?.(file)
        if (onText) void file.text().then((text) => onText(text, file.name))
      }
    },
  })
  const why = last?.why ?? props.refused ?? null
  return (
    <>
      <div
        {...getRootProps({
          className: 'drop',
          role: 'group',
          'aria-label': `Drop ${withArticle(what)}`,
        })}
        data-over={isDragActive}
      >
        <input {...getInputProps({ 'aria-label': what, tabIndex: -1 })} />
        <span>Drop {withArticle(what)} here, or</span>
        <Button variant="outlined" onClick={open}>
          choose a file
        </Button>
        {children}
      </div>
      {last && why !== null ? (
        <Notice>
          <b>{last.name} was not taken.</b> {why}
        </Notice>
      ) : null}
    </>
  )
}
