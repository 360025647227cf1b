/** Where a drive of a shipment is put in: its archive goes up as it is, and what became of it is told. */
import { useState } from 'react'
import { useRevalidator } from 'react-router'
import { countText, listText } from '~/core/units'
import { Drop } from '../kit/drop'
import { Notice } from '../kit/notice'

interface PutIn {
  readonly says: string
  readonly level: 'caution' | 'note'
}

interface PutAnswer {
  readonly drive: number
  readonly taken: number
  readonly already: number
  readonly damaged: readonly string[]
  readonly missing: readonly string[]
  readonly isWhole: boolean
  readonly error?: { readonly says: string }
}

function putText(answer: PutAnswer): PutIn {
  const { drive, taken, already, damaged, missing } = answer
  if (answer.isWhole)
    return {
      level: 'note',
      says: `Drive ${drive} is in: ${countText(taken, 'blob')} verified${already > 0 ? `, ${already} were there` : ''}.`,
    }
  const short = damaged.map((digest) => digest.slice(0, 19))
  return {
    level: 'caution',
    says:
      damaged.length > 0
        ? `Drive ${drive}: ${listText(short, 3)} ${damaged.length === 1 ? 'is' : 'are'} damaged. The rest is kept; bring ${damaged.length === 1 ? 'it' : 'them'} again alone.`
        : `Drive ${drive} was cut off: ${countText(missing.length, 'blob is', 'blobs are')} missing. What came is kept; put it in again.`,
  }
}

export function PutDrive() {
  const revalidator = useRevalidator()
  const [put, setPut] = useState<PutIn | 'under way' | null>(null)
  const send = async (file: File): Promise<void> => {
    setPut('under way')
    try {
      const response = await fetch('/api/v1/shipments/import', {
        method: 'POST',
        headers: { 'Content-Type': 'application/x-tar' },
        body: file,
      })
      const answer = (await response.json()) as PutAnswer
      setPut(answer.error ? { level: 'caution', says: answer.error.says } : putText(answer))
    } catch {
      setPut({ level: 'caution', says: 'The drive was not sent whole. Put it in again.' })
    }
    await revalidator.revalidate()
  }
  return (
    <>
      <Drop
        what="drive"
        accept={{ 'application/x-tar': ['.tar'] }}
        maxBytes={4 * 1024 ** 3}
        onFile={(file) => void send(file)}
      />
      {put === 'under way' ? <p role="status">Being read and verified …</p> : null}
      {put !== null && put !== 'under way' ? <Notice level={put.level}>{put.says}</Notice> : null}
    </>
  )
}
