// @vitest-environment jsdom
import { cleanup, render, screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { createRoutesStub, useLocation } from 'react-router'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { Jump } from './jump'
import type { JumpPlace } from './places'

interface Answer {
  readonly more: boolean
  readonly places: readonly JumpPlace[]
}

const cedar: JumpPlace = {
  kind: 'cluster',
  name: 'cedar',
  where: 'mossgate',
  ref: 'cluster/cedar',
  path: '/clusters/cedar',
}
const ledger: JumpPlace = {
  kind: 'view',
  name: 'Address ledger',
  where: 'Ground',
  ref: 'view/ground/addresses',
  path: '/ground/addresses',
}
const draft: JumpPlace = {
  kind: 'command',
  name: 'Draft a cluster',
  where: 'Raise',
  ref: 'command/raise',
  path: '/raise/new',
  isCommand: true,
}

/** What was asked for, and what is answered: by text, the next of its list each time. */
let asked: string[] = []
let answers: Record<string, Answer[]> = {}
/** How long an answer takes. */
let answerMs = 0
const closed = vi.fn()

beforeEach(() => {
  asked = []
  answers = {}
  answerMs = 0
  closed.mockReset()
  vi.stubGlobal('fetch', (url: string) => {
    const text = new URL(url, 'http://here').searchParams.get('text') ?? ''
    asked.push(text)
    const [first, ...rest] = answers[text] ?? []
    if (rest.length > 0) answers[text] = rest
    const answer = Response.json(first ?? { more: false, places: [] })
    return new Promise((resolve) => setTimeout(() => resolve(answer), answerMs))
  })
})
afterEach(() => {
  cleanup()
  vi.unstubAllGlobals()
})

function show() {
  const sent: string[] = []
  const Here = () => {
    const { pathname, search } = useLocation()
    return (
      <>
        <output>{pathname + search}</output>
        <Jump open onClose={closed} />
      </>
    )
  }
  const Stub = createRoutesStub([
    {
      path: '*',
      Component: Here,
      action: ({ request }) => {
        sent.push(new URL(request.url).pathname)
        return null
      },
    },
  ])
  render(<Stub initialEntries={['/fleet?aim=cluster/dill']} />)
  return sent
}

const at = (): string | null => document.querySelector('output')?.textContent ?? null

describe('the jump', () => {
  it('asks with each letter, and leads to what is chosen, a thing with its own aim', async () => {
    answers = { ced: [{ more: false, places: [cedar] }] }
    show()
    await userEvent.type(await screen.findByRole('combobox', { name: 'Jump to' }), 'ced')
    const option = await screen.findByRole('option', { name: /cedar/ })
    expect(option.textContent).toBe('cedarcluster · mossgate')
    expect(asked).toEqual(['', 'c', 'ce', 'ced'])
    await userEvent.keyboard('{Enter}')
    await waitFor(() => expect(at()).toBe('/clusters/cedar'))
    expect(closed).toHaveBeenCalled()
  })

  it('keeps the aim where it leads to a view', async () => {
    answers = { '': [{ more: false, places: [ledger] }] }
    show()
    await userEvent.click(await screen.findByRole('option', { name: /Address ledger/ }))
    await waitFor(() => expect(at()).toBe('/ground/addresses?aim=cluster%2Fdill'))
  })

  it('sends what makes something, and does not visit it', async () => {
    answers = { '': [{ more: false, places: [draft] }] }
    const sent = show()
    await userEvent.click(await screen.findByRole('option', { name: /Draft a cluster/ }))
    await waitFor(() => expect(sent).toEqual(['/raise/new']))
  })

  it('asks again while clusters are still being listed, and stops once all are', async () => {
    answers = {
      '': [
        { more: true, places: [] },
        { more: true, places: [cedar] },
        { more: false, places: [cedar, ledger] },
      ],
    }
    show()
    await screen.findByRole('option', { name: /Address ledger/ }, { timeout: 4000 })
    expect(asked).toEqual(['', '', ''])
    await new Promise((resolve) => setTimeout(resolve, 600))
    expect(asked).toHaveLength(3)
  })

  it('waits for a slow answer instead of asking once more', async () => {
    answerMs = 1000
    answers = {
      '': [
        { more: true, places: [] },
        { more: false, places: [cedar] },
      ],
    }
    show()
    await screen.findByRole('option', { name: /cedar/ }, { timeout: 8000 })
    expect(asked).toEqual(['', ''])
  })

  it('says that nothing is called so only once that is known', async () => {
    show()
    await userEvent.type(await screen.findByRole('combobox', { name: 'Jump to' }), 'zz')
    expect(await screen.findByText('Nothing of that name.')).toBeTruthy()
  })
})
