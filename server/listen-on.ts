/** Ports on this machine that are the same from start to start. */
import type { Server } from 'node:net'

/** Listens on a port, or on any that is free where that one is taken. */
export async function listenOn(server: Server, port: number, host = '127.0.0.1'): Promise<number> {
  const attempt = (wanted: number): Promise<number | null> =>
    new Promise((resolve) => {
      const failed = (): void => resolve(null)
      server.once('error', failed)
      server.listen(wanted, host, () => {
        server.off('error', failed)
        const address = server.address()
        resolve(typeof address === 'object' && address !== null ? address.port : null)
      })
    })
  const opened = (await attempt(port)) ?? (await attempt(0))
  if (opened === null) throw new Error('no port is free')
  return opened
}
