/** Why a server does not start on a folder, with the way out: told to a person, without a trace. */
export class StartRefusal extends Error {}

/** What of the database’s own codes a person can do something about. */
const wayOut: Readonly<Record<string, string>> = {
  SQLITE_CORRUPT: 'is damaged',
  SQLITE_NOTADB: 'is no database: it was overwritten or cut short',
  SQLITE_READONLY: 'cannot be written',
  SQLITE_CANTOPEN: 'cannot be opened',
  SQLITE_IOERR: 'cannot be read or written: the disk reports an error',
  SQLITE_FULL: 'cannot grow: the disk is full',
  EACCES: 'may not be read or written by this user',
  EPERM: 'may not be read or written by this user',
  EROFS: 'lies on a file system that is read-only',
  ENOSPC: 'cannot be written: the disk is full',
  ENOTDIR: 'is no folder',
  EEXIST: 'is no folder',
}

const remedyOf = (code: string): string =>
  /CORRUPT|NOTADB/.test(code)
    ? 'Put a backup back with `npm run restore`, or begin anew in another folder with --data.'
    : 'Make it writable and give it room, then start again.'

/** The code of a database’s or a file’s error, wherever it is kept. */
export function storageCode(error: unknown): string | null {
  for (
    let at: unknown = error, depth = 0;
    typeof at === 'object' && at !== null && depth < 5;
    depth++
  ) {
    const { code, original, parent, cause } = at as Readonly<Record<string, unknown>>
    if (typeof code === 'string' && code in wayOut) return code
    at = original ?? parent ?? cause
  }
  return null
}

/** The error as a refusal where its cause is the file or folder; else as it is. */
export function startRefusal(error: unknown, path: string): unknown {
  if (error instanceof StartRefusal) return error
  const code = storageCode(error)
  return code === null
    ? error
    : new StartRefusal(`${path} ${wayOut[code] ?? 'cannot be used'}. ${remedyOf(code)}`)
}
