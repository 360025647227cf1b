/** The data folder of a server: its own while it runs, readable by nobody else, and whole. */
import { chmodSync, existsSync, mkdirSync, readdirSync, rmSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { lockFolder } from './folder-lock'
import { StartRefusal, startRefusal } from './start-refusal'

export interface Folder {
  readonly records: string
  /** Refuses records without the stand-ins’ world, unless a first start has still to make it. */
  mustHoldWorld(mayBegin: boolean): void
  close(): Promise<void>
}

/** The databases of a folder; each is needed. */
export const databaseFiles = { records: 'records.sqlite', world: 'standin.sqlite' } as const

const restoring =
  'Put the whole set back with `npm run restore`, or begin anew in another folder with --data.'

function keepToItself(dir: string): void {
  chmodSync(dir, 0o700)
  for (const name of readdirSync(dir)) {
    const path = join(dir, name)
    chmodSync(path, statSync(path).isDirectory() ? 0o700 : 0o600)
  }
}

const holds = (path: string): boolean => existsSync(path) && statSync(path).size > 0

/** Everything that Gyrarch keeps in a folder. */
const kept = [
  ...['records', 'standin', 'history'].flatMap((name) =>
    ['', '-wal', '-shm'].map((end) => `${name}.sqlite${end}`),
  ),
  'registries',
  'shipments',
  'partner',
]

/**
 * Opens a folder, which is made if it is missing; a fresh one is emptied first, once nobody else has it. Refuses one that
 * another server has, or that lacks a part.
 */
export async function openFolder(dir: string, isFresh = false): Promise<Folder> {
  const records = join(dir, databaseFiles.records)
  const world = join(dir, databaseFiles.world)
  try {
    mkdirSync(dir, { recursive: true, mode: 0o700 })
    keepToItself(dir)
    const lock = await lockFolder(dir)
    if (isFresh) for (const name of kept) rmSync(join(dir, name), { recursive: true, force: true })
    if (holds(world) && !holds(records)) {
      await lock.release()
      throw new StartRefusal(
        `${dir} holds ${databaseFiles.world} but no ${databaseFiles.records}: a part of the data is missing. ${restoring}`,
      )
    }
    return {
      records,
      mustHoldWorld: (mayBegin) => {
        if (!mayBegin && !holds(world))
          throw new StartRefusal(
            `${dir} holds ${databaseFiles.records} but no ${databaseFiles.world}: a part of the data is missing. ${restoring}`,
          )
      },
      close: () => lock.release(),
    }
  } catch (error) {
    throw startRefusal(error, dir)
  }
}
