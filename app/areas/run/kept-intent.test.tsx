// @vitest-environment jsdom
import Button from '@mui/material/Button'
import { cleanup, render, screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { createRoutesStub, useLoaderData, useRevalidator } from 'react-router'
import { afterEach, expect, it } from 'vitest'
import { Field } from '../../kit/field'
import { useKeptIntent } from './kept-intent'

afterEach(cleanup)

interface Intent {
  readonly name: string
  readonly detach?: boolean
}

/** A page of one draft, with a remedy that amends it; gives back all that came from the field. */
function draftPage({ isRefused = false } = {}) {
  let held: Intent = { name: 'a' }
  const sent: Intent[] = []
  function Page() {
    const { intent, setIntent, says } = useKeptIntent('c-1', useLoaderData<Intent>())
    const { revalidate } = useRevalidator()
    return (
      <>
        <Field
          label="name"
          value={intent.name}
          onChange={(name) => setIntent({ ...intent, name })}
        />
        <Button
          onClick={() => {
            held = { detach: true, ...held }
            void revalidate()
          }}
        >
          remedy
        </Button>
        <p role="status">{says}</p>
        <p>{intent.detach === true ? 'detached' : 'attached'}</p>
      </>
    )
  }
  const Stub = createRoutesStub([
    {
      path: '/',
      Component: Page,
      loader: () => held,
      action: async ({ request }) => {
        const form = await request.formData()
        const asked = JSON.parse(String(form.get('intent'))) as Intent
        sent.push(asked)
        if (isRefused) return { refused: 'that name is taken' }
        held = asked
        return null
      },
    },
  ])
  render(<Stub />)
  return sent
}

it('sends what was typed once, a moment after the last key', async () => {
  const sent = draftPage()
  await userEvent.type(await screen.findByLabelText('name'), 'bc')
  await waitFor(() => expect(screen.getByRole('status').textContent).toBe('draft c-1, kept'))
  expect(sent).toEqual([{ name: 'abc' }])
})

it('loses nothing that is typed while the last is being kept', async () => {
  const sent = draftPage()
  const field = await screen.findByLabelText<HTMLInputElement>('name')
  await userEvent.type(field, 'b')
  await waitFor(() => expect(sent).toHaveLength(1))
  await userEvent.type(field, 'c')
  await waitFor(() => expect(sent).toEqual([{ name: 'ab' }, { name: 'abc' }]))
  expect(field.value).toBe('abc')
})

it('says what was refused, and leaves it to be mended', async () => {
  draftPage({ isRefused: true })
  const field = await screen.findByLabelText<HTMLInputElement>('name')
  await userEvent.type(field, 'b')
  expect(await screen.findByText('not kept: that name is taken')).toBeTruthy()
  expect(field.value).toBe('ab')
})

it('takes over what a remedy did, and sends nothing of it back', async () => {
  const sent = draftPage()
  const field = await screen.findByLabelText<HTMLInputElement>('name')
  await userEvent.click(screen.getByText('remedy'))
  await screen.findByText('detached')
  await new Promise((done) => setTimeout(done, 600))
  expect(sent).toEqual([])
  await userEvent.type(field, 'b')
  await waitFor(() => expect(sent).toEqual([{ name: 'ab', detach: true }]))
})
