/** Copies a text and says that it did. */
import Button from '@mui/material/Button'
import { useState } from 'react'

export function CopyButton({
  text,
  children,
}: {
  readonly text: () => string
  readonly children: string
}) {
  const [said, setSaid] = useState<string | null>(null)
  return (
    <Button
      variant="text"
      onClick={() =>
        void navigator.clipboard.writeText(text()).then(
          () => setSaid('Copied'),
          () => setSaid('The browser did not allow copying'),
        )
      }
    >
      {said ?? children}
    </Button>
  )
}
