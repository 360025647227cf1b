// @vitest-environment jsdom
import { cleanup, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { afterEach, expect, it, vi } from 'vitest'
import { z } from 'zod'
import {
  ChoiceAt,
  NumberAt,
  SchemaForm,
  TextAt,
  TextsAt,
  TickAt,
  ToggleAt,
  useSchemaForm,
} from './form'

afterEach(cleanup)

const schema = z.object({
  name: z.string().min(1, 'Give it a name.'),
  port: z.number('Give a port.').int().max(65_535, 'A port is at most 65535.'),
  way: z.enum(['in', 'out']),
  from: z.array(z.string()),
  isOn: z.boolean(),
})
type Values = z.infer<typeof schema>

function Rule({ onSubmit }: { readonly onSubmit: (values: Values) => void }) {
  const form = useSchemaForm(schema, { name: '', port: 443, way: 'in', from: [], isOn: false })
  return (
    <SchemaForm label="A rule" form={form} onSubmit={onSubmit}>
      <TextAt path="name" label="Name" />
      <NumberAt path="port" label="Port" />
      <ChoiceAt path="way" label="Way" options={['in', 'out']} />
      <TextsAt path="from" label="From" />
      <TickAt path="isOn" label="On" />
      <button type="submit">Draft it</button>
    </SchemaForm>
  )
}

it('sends what the schema reads, of the types it names', async () => {
  const onSubmit = vi.fn<(values: Values) => void>()
  render(<Rule onSubmit={onSubmit} />)
  await userEvent.type(screen.getByLabelText('Name'), 'desk')
  await userEvent.clear(screen.getByLabelText('Port'))
  await userEvent.type(screen.getByLabelText('Port'), '8443')
  await userEvent.type(screen.getByLabelText('From'), '10.0.0.0/8, 192.168.0.0/16')
  await userEvent.click(screen.getByLabelText('On'))
  await userEvent.click(screen.getByText('Draft it'))
  await vi.waitFor(() => expect(onSubmit).toHaveBeenCalled())
  expect(onSubmit.mock.calls).toEqual([
    [
      {
        name: 'desk',
        port: 8443,
        way: 'in',
        from: ['10.0.0.0/8', '192.168.0.0/16'],
        isOn: true,
      },
    ],
  ])
})

it('says under the field what is wrong once it has been left, and stops saying so once it is mended', async () => {
  render(<Rule onSubmit={() => undefined} />)
  expect(screen.queryByText('Give it a name.')).toBeNull()
  await userEvent.click(screen.getByLabelText('Name'))
  await userEvent.tab()
  expect(await screen.findByText('Give it a name.')).toBeTruthy()
  expect(screen.getByLabelText('Name').getAttribute('aria-invalid')).toBe('true')
  await userEvent.type(screen.getByLabelText('Name'), 'desk')
  expect(screen.queryByText('Give it a name.')).toBeNull()
})

it('sends nothing while something is wrong, and leads to it', async () => {
  const onSubmit = vi.fn<(values: Values) => void>()
  render(<Rule onSubmit={onSubmit} />)
  await userEvent.type(screen.getByLabelText('Name'), 'desk')
  await userEvent.clear(screen.getByLabelText('Port'))
  await userEvent.type(screen.getByLabelText('Port'), '99999')
  await userEvent.click(screen.getByText('Draft it'))
  expect(await screen.findByText('A port is at most 65535.')).toBeTruthy()
  expect(onSubmit).not.toHaveBeenCalled()
  expect(document.activeElement).toBe(screen.getByLabelText('Port'))
})

it('puts what the server refused at its field until that is typed anew', async () => {
  const fields = [{ path: 'name', says: 'is taken' }]
  function Named({ refused }: { readonly refused?: typeof fields }) {
    const form = useSchemaForm(
      schema,
      { name: 'desk', port: 443, way: 'in', from: [], isOn: false },
      refused,
    )
    return (
      <SchemaForm label="A rule" form={form} onSubmit={() => undefined}>
        <TextAt path="name" label="Name" />
        <ToggleAt path="way" label="Way" options={['in', 'out']} />
        <button type="submit">Draft it</button>
      </SchemaForm>
    )
  }
  const { rerender } = render(<Named />)
  await userEvent.click(screen.getByText('out'))
  expect(screen.getByText('out').getAttribute('aria-pressed')).toBe('true')
  rerender(<Named refused={fields} />)
  expect(screen.getByText('is taken')).toBeTruthy()
  await userEvent.type(screen.getByLabelText('Name'), 's')
  await userEvent.tab()
  await vi.waitFor(() => expect(screen.queryByText('is taken')).toBeNull())
})
