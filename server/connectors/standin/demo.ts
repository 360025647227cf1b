/** The stand-ins’ share of the demo scenario, and what Gyrarch has in its register of it. */
import { demoCatalogue, demoDocument, partnerDocument } from '~/server/demo/scenario'
import { type Scenario, scenarioSchema } from '~/standin'
import { enlarged } from '~/standin/build'

export const demoScenario = (): Scenario =>
  scenarioSchema.parse({ ...(demoDocument() as object), releases: demoCatalogue().releases })

/** The clusters of the scenario, enlarged to at least `nodes` nodes. */
export const demoClusters = (scenario: Scenario, nodes: number): Scenario['clusters'] =>
  enlarged(scenario, nodes).clusters

/** The world of the demo’s partner: it has no releases of its own to be moved to. */
export const partnerScenario = (): Scenario => scenarioSchema.parse(partnerDocument())
