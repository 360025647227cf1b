/** A team’s namespace as text: apart from its objects, so that a page can do without what writes YAML until it is asked for. */
import { stringify } from 'yaml'
import { namespaceObjects, type TeamNamespace } from './namespace'

/** Its objects as a manifest. Names that YAML 1.1 reads as numbers or truths are quoted. */
export const namespaceManifest = (team: TeamNamespace): string =>
  namespaceObjects(team)
    .map((object) => stringify(object, { version: '1.1' }))
    .join('---\n')
