import { describe, expect, it } from 'vitest'
import type { ApiObject } from '../objects'
import { mayCall, readCallers } from '.'

const rule = (name: string, spec: unknown, namespace = 'market'): ApiObject =>
  ({
    kind: 'CallerRule',
    apiVersion: 'gyrarch/v1',
    metadata: { name, namespace },
    spec,
  }) as ApiObject
const closed: ApiObject = {
  kind: 'Namespace',
  metadata: { name: 'market', labels: { 'gyrarch/callers': 'closed' } },
} as ApiObject
const desk = { namespace: 'market', serviceAccount: 'market-desk' }
const broker = { namespace: 'market', serviceAccount: 'broker-bot' }
const ledger = { namespace: 'market', name: 'ledger-view' }
const get = (path: string, method = 'GET') => ({ path, method })
const reads = rule('readers', {
  service: 'ledger-view',
  callers: [{ serviceAccount: 'market-desk' }],
  requests: [{ methods: ['GET'], paths: ['/entries/'] }],
})

describe('callers', () => {
  it('that are not listed may call where the namespace is open, and not where it is closed', () => {
    expect(mayCall(readCallers([reads]), broker, ledger, get('/'))).toEqual({
      allowed: true,
      by: 'open',
    })
    expect(mayCall(readCallers([reads, closed]), broker, ledger, get('/'))).toEqual({
      allowed: false,
      by: 'closed',
    })
  })
  it('that are listed keep to what they are listed for, even where it is open', () => {
    const world = readCallers([reads])
    expect(mayCall(world, desk, ledger, get('/entries'))).toEqual({
      allowed: true,
      by: ['market/readers'],
    })
    expect(mayCall(world, desk, ledger, get('/entries/7'))).toMatchObject({ allowed: true })
    expect(mayCall(world, desk, ledger, get('/entriesx'))).toEqual({
      allowed: false,
      by: ['market/readers'],
    })
    expect(mayCall(world, desk, ledger, get('/entries', 'post'))).toMatchObject({ allowed: false })
  })
  it('may be listed more than once; any rule that fits is enough, and is named', () => {
    const world = readCallers([
      reads,
      rule('writers', {
        service: 'ledger-view',
        callers: [{ serviceAccount: 'market-desk' }],
        requests: [{ methods: ['post'] }],
      }),
    ])
    expect(mayCall(world, desk, ledger, get('/anything', 'POST'))).toEqual({
      allowed: true,
      by: ['market/writers'],
    })
  })
  it('are told apart by namespace; a rule speaks of a service of its own namespace', () => {
    const object = rule('readers', {
      service: 'ledger-view',
      callers: [{ serviceAccount: 'market-desk', namespace: 'climate' }],
    })
    expect(mayCall(readCallers([object, closed]), desk, ledger, get('/'))).toEqual({
      allowed: false,
      by: 'closed',
    })
    expect(
      mayCall(readCallers([object, closed]), { ...desk, namespace: 'climate' }, ledger, get('/'))
        .allowed,
    ).toBe(true)
    expect(
      mayCall(
        readCallers([
          rule(
            'far',
            {
              service: 'ledger-view',
              callers: [{ serviceAccount: 'market-desk', namespace: 'market' }],
            },
            'climate',
          ),
          closed,
        ]),
        desk,
        ledger,
        get('/'),
      ).allowed,
    ).toBe(false)
  })
})
