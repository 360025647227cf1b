/** A model of the fleet in an engine of its own: what is run there touches nothing outside. */
import type { OpenModel } from '../../rehearsal/in-model'
import type { EngineLink } from './engine-link'

export const modelsIn =
  (engine: () => EngineLink): OpenModel =>
  async (of) => {
    const link = engine()
    const clusters = Object.keys(of.objects)
    try {
      await link.ask('model', of)
    } catch (error) {
      await link.close()
      throw error
    }
    return {
      issue: async (key, verb, args) => {
        await link.ask('command', { key, verb, args })
      },
      run: (until) => link.ask('run', { until, mostEvents: Infinity }),
      moment: () => link.ask('moment', { clusters }),
      ready: () => link.ask('readyPods', { clusters }),
      close: () => link.close(),
    }
  }
