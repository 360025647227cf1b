/** Source redirection: where the nodes of a cluster look for images before they ask the registry that the name says. */
import { z } from 'zod'

/** Both are beginnings of image names, cut at a slash: a host, or a host and the path below it. */
export const redirect = z.object({ from: z.string(), to: z.string() })
export type Redirect = z.infer<typeof redirect>

/** The names under which nodes look for an image: where they are redirected first, then as it is written. */
export const lookedFor = (
  redirects: readonly Redirect[] | undefined,
  image: string,
): readonly string[] => [
  ...(redirects ?? []).flatMap(({ from, to }) =>
    image.startsWith(`${from}/`) ? [`${to}${image.slice(from.length)}`] : [],
  ),
  image,
]
