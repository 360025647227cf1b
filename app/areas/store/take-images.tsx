/** Where images are put into a registry as a file: the tar of an OCI image layout. */
import { useState } from 'react'
import { useRevalidator } from 'react-router'
import { countText, listText } from '~/core/units'
import { Drop } from '../../kit/drop'
import { Notice } from '../../kit/notice'

interface TakeAnswer {
  readonly images?: readonly { readonly repository: string; readonly tag: string }[]
  readonly error?: { readonly says: string }
}

function answerText({ images = [], error }: TakeAnswer): string {
  if (error) return error.says
  const names = images.map(({ repository, tag }) => `${repository}:${tag}`)
  return `${countText(images.length, 'image')} taken: ${listText(names, 3)}.`
}

export function TakeImages({ registry }: { readonly registry: string }) {
  const revalidator = useRevalidator()
  const [answer, setAnswer] = useState<TakeAnswer | null>(null)
  const send = async (file: File): Promise<void> => {
    try {
      const response = await fetch(`/api/v1/registries/${registry}/import`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/x-tar' },
        body: file,
      })
      setAnswer((await response.json()) as TakeAnswer)
    } catch {
      setAnswer({ error: { says: 'The file was not sent whole. Drop it again.' } })
    }
    await revalidator.revalidate()
  }
  return (
    <>
      <Drop
        what="tar of images"
        accept={{ 'application/x-tar': ['.tar'] }}
        maxBytes={1024 ** 3}
        onFile={(file) => void send(file)}
      />
      {answer ? (
        <Notice level={answer.error ? 'caution' : 'note'}>{answerText(answer)}</Notice>
      ) : null}
    </>
  )
}
