/** Files of manifests as they are dropped: YAML, JSON, or an archive of them. */
import { untar } from '~/core/manifests'

/** The texts of files as one, archives opened. */
export async function manifestsIn(files: readonly File[]): Promise<string> {
  const texts = await Promise.all(
    files.map(async (file) => {
      const bytes = new Uint8Array(await file.arrayBuffer())
      const inside = untar(bytes)
      return inside
        ? inside
            .filter(({ name }) => /\.(ya?ml|json)$/i.test(name))
            .map(({ text }) => text)
            .join('\n---\n')
        : new TextDecoder().decode(bytes)
    }),
  )
  return texts.join('\n---\n')
}
