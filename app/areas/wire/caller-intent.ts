/** What a caller rule asks for, from what was typed. */
import type { Call } from './call'

/** `namespace/service account` of who calls; null for who runs as nobody here. */
export const identityOf = ({ account, namespace }: Call): string | null =>
  account === null ? null : `${namespace}/${account}`

/** Others that call the same service, or are kept from it, each once. */
export function callersBeside(cell: Call, cells: readonly Call[]): readonly string[] {
  const own = identityOf(cell)
  const others = cells
    .filter(({ service }) => service === cell.service)
    .flatMap((each) => identityOf(each) ?? [])
  return [...new Set(others)].filter((identity) => identity !== own).sort()
}

const wordsOf = (text: string): readonly string[] =>
  text.split(/[\s,]+/).filter((word) => word !== '')

/** A name for the rule: of the service and who calls it, as long as names may be. */
const nameOf = (service: string, account: string): string =>
  `${service}-${account}`.slice(0, 63).replace(/[^a-z0-9]+$/, '')

export interface AskedRule {
  readonly methods: string
  readonly paths: string
  /** `namespace/service account` of each. */
  readonly callers: readonly string[]
}

/** The intent of `wire.callers`: methods in capitals; nothing typed allows every request. */
export function callerIntent(cluster: string, cell: Call, { methods, paths, callers }: AskedRule) {
  const [namespace = '', service = ''] = cell.service.split('/')
  const request = {
    ...(wordsOf(methods).length === 0 ? {} : { methods: wordsOf(methods.toUpperCase()) }),
    ...(wordsOf(paths).length === 0 ? {} : { paths: wordsOf(paths) }),
  }
  return {
    cluster,
    namespace,
    rule: {
      name: nameOf(service, cell.account ?? ''),
      service,
      callers: callers.map((identity) => {
        const [from = '', serviceAccount = ''] = identity.split('/')
        return { serviceAccount, ...(from === namespace ? {} : { namespace: from }) }
      }),
      ...(Object.keys(request).length === 0 ? {} : { requests: [request] }),
    },
  }
}
