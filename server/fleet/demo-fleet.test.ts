/** What tests of the core take for the fleet of the demo is what the ports tell of it. */
import { expect, it } from 'vitest'
import { gyrarchForAll, type Opened } from '~/server/testing/open'

let opened: Opened
gyrarchForAll((made) => {
  opened = made
})

it('is the stored picture of the demo, with the objects of cedar', async () => {
  const seen = await opened.gyrarch.fleet.viewWith(['cedar'])
  // Secrets are new in every Gyrarch, and so are their fingerprints.
  const view = {
    ...seen,
    credentials: seen.credentials.map((credential) => ({
      ...credential,
      fingerprint: credential.name,
    })),
  }
  await expect(`${JSON.stringify(view)}\n`).toMatchFileSnapshot(
    '../../core/testing/demo-fleet.json',
  )
})
