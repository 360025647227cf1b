/** The JSON API as a table: what each call takes and gives. Router and OpenAPI description are both made from it. */
import type { Body } from '../bodies/take'
import { computations } from '../compute/computations'
import { bootDataRoutes } from './boot-data'
import { caseRoutes } from './cases'
import { changeRoutes } from './changes'
import { rehearsalRoutes } from './rehearsals'
import { clusterRoutes } from './clusters'
import { credentialRoutes } from './credentials'
import { drillRoutes } from './drills'
import { outgoingRoutes } from './outgoing'
import { fleetRoutes } from './fleet'
import { healthRoutes } from './health'
import { historyRoutes } from './history'
import { keyRoutes } from './keys'
import { joinRoutes } from './joins'
import { layerRoutes } from './layers'
import { ledgerRoutes } from './ledger'
import type { Route } from './route'
import { siteRoutes } from './sites'
import { standinRoutes } from './standins'
import { registryRoutes } from './registries'
import { noticeRoutes } from './notices'
import { reachRoutes } from './reach'
import { renewRoutes } from './renew'
import { shipmentRoutes } from './shipments'
import { storeRoutes } from './store'
import { templateRoutes } from './templates'
import { windowRoutes } from './windows'
import { wireRoutes } from './wire'

export const routes: readonly Route[] = [
  ...fleetRoutes,
  ...siteRoutes,
  ...clusterRoutes,
  ...reachRoutes,
  ...standinRoutes,
  ...changeRoutes,
  ...rehearsalRoutes,
  ...caseRoutes,
  ...drillRoutes,
  ...outgoingRoutes,
  ...ledgerRoutes,
  ...credentialRoutes,
  ...keyRoutes,
  ...templateRoutes,
  ...bootDataRoutes,
  ...joinRoutes,
  ...healthRoutes,
  ...historyRoutes,
  ...layerRoutes,
  ...windowRoutes,
  ...storeRoutes,
  ...shipmentRoutes,
  ...registryRoutes,
  ...renewRoutes,
  ...noticeRoutes,
  ...wireRoutes,
  ...computations.map((computation): Route => ({
    method: 'post',
    path: `/compute/${computation.name}`,
    says: computation.says,
    body: computation.input,
    answer: computation.output,
    rawUpTo: computation.mostBytes,
    handle: async (gyrarch, { body, signal }) => {
      const computed = await gyrarch.compute.answer(computation.name, body as Body, signal)
      const type = 'application/json'
      return {
        json: null,
        text: 'text' in computed ? { type, body: computed.text } : { type, file: computed.file },
      }
    },
  })),
]
