import Snackbar from '@mui/material/Snackbar'

/** Told in passing at the lower edge; it goes by itself. */
export function Passing({
  says,
  onGone,
}: {
  readonly says: string | null
  readonly onGone: () => void
}) {
  return (
    <Snackbar
      open={says !== null}
      message={says}
      autoHideDuration={6000}
      onClose={(_event, reason) => {
        if (reason !== 'clickaway') onGone()
      }}
    />
  )
}
