// @vitest-environment jsdom
import { cleanup, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { createRoutesStub } from 'react-router'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { Call } from './call'
import { CallerMatrix } from './caller-matrix'
import { CallerRule } from './caller-rule'

afterEach(cleanup)

const call = (caller: string, service: string, more: Partial<Call> = {}): Call => ({
  caller,
  service,
  port: 8080,
  allowed: true,
  perSecond: 1,
  perDay: 86_400,
  why: 'namespace market is open',
  account: caller.split('/')[1] ?? null,
  asks: 'GET /prices',
  listed: [],
  namespace: caller.split('/')[0] ?? '',
  ...more,
})

describe('the matrix of calls', () => {
  const cells = [
    call('market/desk', 'market/prices'),
    call('shop/front', 'market/prices', { allowed: false, perDay: 3 }),
    call('shop/front', 'market/stock', { allowed: true, perDay: 0, perSecond: 0 }),
  ]

  it('tells allowed from refused by shape, use by size, and what is refused though used by ink', () => {
    const { container } = render(
      <CallerMatrix
        from={['market/desk', 'shop/front']}
        services={['market/prices', 'market/stock']}
        cells={cells}
        largest={1}
        chosen={null}
        onChoose={() => undefined}
      />,
    )
    expect(
      [...container.querySelectorAll('svg > *')].map((mark) => [
        mark.tagName,
        mark.getAttribute('class'),
      ]),
    ).toEqual([
      ['circle', 'ok'],
      ['path', 'used-denied'],
      ['circle', 'idle'],
    ])
    expect(screen.getAllByRole('button').map((cell) => cell.getAttribute('aria-label'))).toEqual([
      'market/desk to market/prices: allowed, 86,400 calls in the last day',
      'shop/front to market/prices: refused, 3 calls in the last day',
      'shop/front to market/stock: allowed, 0 calls in the last day',
    ])
  })

  it('hands on the cell that is chosen', async () => {
    const onChoose = vi.fn()
    render(
      <CallerMatrix
        from={['market/desk']}
        services={['market/prices']}
        cells={cells}
        largest={1}
        chosen={null}
        onChoose={onChoose}
      />,
    )
    screen.getByRole('button').focus()
    await userEvent.keyboard('{Enter}')
    expect(onChoose).toHaveBeenCalledWith(cells[0])
  })
})

describe('a rule that lists a caller', () => {
  const desk = call('market/desk', 'market/prices')
  const front = call('shop/front', 'market/prices', { allowed: false })

  function show(cell: Call) {
    const sent: unknown[] = []
    const Here = () => <CallerRule cluster="bramble" cell={cell} cells={[desk, front]} />
    const action = async ({ request }: { readonly request: Request }) => {
      sent.push(await request.json())
      return { refused: null }
    }
    const Stub = createRoutesStub([
      { path: '/', Component: Here },
      { path: '/do/draft', action },
    ])
    render(<Stub />)
    return sent
  }

  it('begins with what it was seen to ask, and takes others of the service along', async () => {
    const sent = show(front)
    await screen.findByText('List shop/front for market/prices')
    await userEvent.type(screen.getByLabelText('Methods'), ' head')
    await userEvent.click(screen.getByLabelText('Other callers of it'))
    await userEvent.click(screen.getByRole('option', { name: 'market/desk' }))
    await userEvent.click(screen.getByRole('button', { name: 'Draft the rule' }))
    await vi.waitFor(() =>
      expect(sent).toEqual([
        {
          kind: 'wire.callers',
          then: null,
          intent: {
            cluster: 'bramble',
            namespace: 'market',
            rule: {
              name: 'prices-front',
              service: 'prices',
              callers: [{ serviceAccount: 'front', namespace: 'shop' }, { serviceAccount: 'desk' }],
              requests: [{ methods: ['GET', 'HEAD'], paths: ['/prices'] }],
            },
          },
        },
      ]),
    )
  })

  it('says by which it is listed already', async () => {
    show({ ...front, listed: ['prices-shop'] })
    expect(await screen.findByText('Listed by prices-shop; list shop/front for more')).toBeTruthy()
  })

  it('is not offered for who runs as nobody here', () => {
    show({ ...front, account: null })
    expect(screen.queryByRole('button')).toBeNull()
  })
})
