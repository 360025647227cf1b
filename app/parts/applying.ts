/** The intent that applies an object, its text written by the library once it is wanted. */
import type { Json } from '~/core/objects'

/**
 * What makes the intent of `manifest.apply`. `manager` is whose fields they are: what one apply leaves out is taken back
 * where the same manager wrote it, so each kind of setting has a manager of its own.
 */
export const applying =
  (cluster: string, manager: string, object: Json) =>
  async (): Promise<{
    readonly cluster: string
    readonly manager: string
    readonly text: string
  }> => {
    const { writeYaml } = await import('~/core/objects/yaml')
    return { cluster, manager, text: writeYaml(object) }
  }
