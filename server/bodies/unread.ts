/** A body that nobody read closes its connection: what is left of it would be taken for the next request, or be waited for. */
import type { RequestHandler } from 'express'

export const closeUnread: RequestHandler = (request, response, next) => {
  const { headers } = request
  const hasBody =
    headers['transfer-encoding'] !== undefined || Number(headers['content-length'] ?? 0) > 0
  if (hasBody) {
    response.shouldKeepAlive = false
    request.on('end', () => {
      response.shouldKeepAlive = headers.connection?.toLowerCase() !== 'close'
    })
  }
  next()
}
