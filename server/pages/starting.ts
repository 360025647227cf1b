/** What is answered while the server has its port and not yet its data: a page that comes again by itself, or JSON. */
import type { RequestHandler } from 'express'

const says = 'Gyrarch is starting. Ask again in a moment.'

const page = `<!doctype html>
<html lang="en">
  <head>
    <meta charset="utf-8" />
    <meta http-equiv="refresh" content="2" />
    <meta name="color-scheme" content="light dark" />
    <meta name="viewport" content="width=device-width" />
    <title>Starting · Gyrarch</title>
  </head>
  <body>
    <main>
      <h1>Gyrarch is starting</h1>
      <p>This page shows it as soon as it is there.</p>
    </main>
  </body>
</html>
`

/** Lets nobody by until `isReady`. */
export const untilReady =
  (isReady: () => boolean): RequestHandler =>
  (request, response, next) => {
    if (isReady()) {
      next()
      return
    }
    response.status(503).set('Retry-After', '2').set('Cache-Control', 'no-store')
    if (request.method === 'GET' && request.accepts(['json', 'html']) === 'html')
      response.type('html').send(page)
    else response.json({ error: { code: 'unavailable', says, fields: [] } })
  }
