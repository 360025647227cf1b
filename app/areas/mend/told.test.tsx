// @vitest-environment jsdom
import { cleanup, render, screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import type { ComponentType } from 'react'
import { createRoutesStub } from 'react-router'
import { afterEach, describe, expect, it } from 'vitest'
import Told from './told'

afterEach(cleanup)

/** The page over what it is told, and what it sends; each answer is taken from the list. */
async function show(
  answers: readonly (string | null)[],
  loaded: object = { receivers: [], deliveries: [] },
) {
  const sent: unknown[] = []
  const Stub = createRoutesStub([
    {
      path: '/mend/told',
      Component: Told as ComponentType,
      loader: () => loaded,
      action: async ({ request }) => {
        sent.push(await request.json())
        return { refused: answers[sent.length - 1] ?? null }
      },
    },
  ])
  render(<Stub initialEntries={['/mend/told']} />)
  await screen.findByRole('heading', { name: 'Tell somebody' })
  return sent
}

const field = (name: string): HTMLInputElement => screen.getByLabelText(name)

async function fillIn(): Promise<void> {
  await userEvent.type(field('Name'), 'desk')
  await userEvent.type(field('Where to send'), 'https://desk.fernhollow.example/notices')
  await userEvent.type(field('Secret'), 'a secret of sixteen letters')
}

describe('who is told', () => {
  it('is kept as it was typed while it is refused, and forgotten once it is taken', async () => {
    const sent = await show(['That address is not one to send to.', null])
    await fillIn()
    await userEvent.click(screen.getByRole('button', { name: 'Tell them' }))
    expect(await screen.findByText('That address is not one to send to.')).toBeTruthy()
    expect(field('Name').value).toBe('desk')
    expect(field('Secret').value).toBe('a secret of sixteen letters')
    await userEvent.click(screen.getByRole('button', { name: 'Tell them' }))
    await waitFor(() => expect(field('Name').value).toBe(''))
    expect(field('Secret').value).toBe('')
    expect(sent).toHaveLength(2)
    expect(sent[1]).toMatchObject({
      keep: { name: 'desk', url: 'https://desk.fernhollow.example/notices' },
    })
  })

  it('is not sent while something of it is missing', async () => {
    const sent = await show([])
    await userEvent.type(field('Name'), 'desk')
    await userEvent.click(screen.getByRole('button', { name: 'Tell them' }))
    await waitFor(() => expect(field('Where to send').getAttribute('aria-invalid')).toBe('true'))
    expect(sent).toEqual([])
  })

  it('can be tried, taken off, and sent again what was not taken', async () => {
    const sent = await show([], {
      receivers: [
        { name: 'desk', url: 'https://desk.fernhollow.example/notices', kinds: ['case.opened'] },
      ],
      deliveries: [
        {
          id: 7,
          receiver: 'desk',
          kind: 'case.opened',
          state: 'given-up',
          attempts: 5,
          madeAt: '2026-03-02T06:00:00Z',
          says: 'it answered 500',
        },
      ],
    })
    expect(screen.getByText(/it answered 500, 5 attempts/)).toBeTruthy()
    expect(screen.getByText('1 notice is not taken')).toBeTruthy()
    for (const name of ['Send a test', 'Send again', 'Remove']) {
      await userEvent.click(screen.getByRole('button', { name }))
      await waitFor(() =>
        expect(screen.getByRole<HTMLButtonElement>('button', { name }).disabled).toBe(false),
      )
    }
    expect(sent).toEqual([{ test: 'desk' }, { again: 7 }, { remove: 'desk' }])
  })
})
