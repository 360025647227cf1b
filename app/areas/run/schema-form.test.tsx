// @vitest-environment jsdom
import { cleanup, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { useState } from 'react'
import { afterEach, expect, it, vi } from 'vitest'
import { z } from 'zod'
import { kinds } from '~/core/kinds'
import { SchemaForm } from './schema-form'

afterEach(cleanup)

const jsonOf = (schema: z.ZodType) =>
  z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' })

function Form({
  schema,
  start,
  onChange = () => undefined,
  stop,
}: {
  readonly schema: z.ZodType
  readonly start: unknown
  readonly onChange?: (value: unknown) => void
  readonly stop?: { readonly field: string; readonly says: string }
}) {
  const [value, setValue] = useState(start)
  return (
    <SchemaForm
      schema={jsonOf(schema)}
      value={value}
      findings={
        stop
          ? [
              {
                key: 'x|y',
                level: 'stop',
                rule: 'x',
                code: 'x',
                params: {},
                because: [],
                remedies: [],
                ...stop,
              },
            ]
          : []
      }
      choices={{ zone: ['north', 'south'] }}
      onChange={(next) => {
        setValue(next)
        onChange(next)
      }}
    />
  )
}

const pool = z.object({
  name: z.string(),
  zone: z.string().optional(),
  count: z.number().int(),
  guarded: z.boolean(),
  ports: z.array(z.number()),
  hosts: z.array(z.object({ name: z.string(), cores: z.number().int() })),
  range: z.object({ min: z.number().int(), max: z.number().int() }).optional(),
})
const start = { name: 'general', count: 2, guarded: false, ports: [], hosts: [] }

it('makes a field of every property, by its type', async () => {
  const onChange = vi.fn<(value: unknown) => void>()
  render(<Form schema={pool} start={start} onChange={onChange} />)
  await userEvent.clear(screen.getByLabelText('name'))
  await userEvent.type(screen.getByLabelText('name'), 'edge')
  await userEvent.clear(screen.getByLabelText('count'))
  await userEvent.type(screen.getByLabelText('count'), '5')
  await userEvent.click(screen.getByLabelText('guarded'))
  await userEvent.type(screen.getByLabelText('ports'), '80 443')
  await userEvent.tab()
  expect(onChange).toHaveBeenLastCalledWith({
    name: 'edge',
    count: 5,
    guarded: true,
    ports: [80, 443],
    hosts: [],
  })
})

it('adds to a list and takes from it', async () => {
  const onChange = vi.fn<(value: unknown) => void>()
  render(<Form schema={pool} start={start} onChange={onChange} />)
  await userEvent.click(screen.getByRole('button', { name: 'Add one' }))
  expect(onChange).toHaveBeenLastCalledWith({ ...start, hosts: [{ name: '', cores: 0 }] })
  await userEvent.type(screen.getByLabelText('cores'), '8')
  expect(onChange).toHaveBeenLastCalledWith({ ...start, hosts: [{ name: '', cores: 8 }] })
  await userEvent.click(screen.getByRole('button', { name: 'Remove hosts 1' }))
  expect(onChange).toHaveBeenLastCalledWith(start)
})

it('leaves out what may be left out, and sets it when asked', async () => {
  const onChange = vi.fn<(value: unknown) => void>()
  render(<Form schema={pool} start={start} onChange={onChange} />)
  await userEvent.click(screen.getByRole('button', { name: 'Set range' }))
  expect(onChange).toHaveBeenLastCalledWith({ ...start, range: { min: 0, max: 0 } })
  await userEvent.click(screen.getByRole('button', { name: 'Leave as it is' }))
  expect(onChange).toHaveBeenLastCalledWith(start)
})

it('takes names of one’s own with their texts', async () => {
  const onChange = vi.fn<(value: unknown) => void>()
  const schema = z.object({ labels: z.record(z.string(), z.string()) })
  render(<Form schema={schema} start={{ labels: { team: 'orchids' } }} onChange={onChange} />)
  await userEvent.type(screen.getByLabelText('labels'), ' tier=gold')
  await userEvent.tab()
  expect(onChange).toHaveBeenLastCalledWith({ labels: { team: 'orchids', tier: 'gold' } })
})

it('says what stops a field under it', () => {
  render(
    <Form
      schema={pool}
      start={start}
      stop={{ field: 'name', says: 'A pool general stands there already.' }}
    />,
  )
  expect(screen.getByText('A pool general stands there already.')).toBeTruthy()
  expect(screen.getByLabelText('name').getAttribute('aria-invalid')).toBe('true')
})

it.each(kinds.map((kind) => [kind.name, kind] as const))(
  'makes a form of %s whose every field is labelled',
  (_name, kind) => {
    render(<Form schema={kind.schema} start={{}} />)
    const fields = [
      ...screen.queryAllByRole('textbox'),
      ...screen.queryAllByRole('spinbutton'),
      ...screen.queryAllByRole('combobox'),
      ...screen.queryAllByRole('checkbox'),
    ]
    const groups = [...screen.queryAllByRole('group'), ...screen.queryAllByRole('button')]
    expect(fields.length + groups.length).toBeGreaterThan(0)
    for (const field of fields) {
      const id = field.getAttribute('id') ?? ''
      const isLabelled =
        field.getAttribute('aria-label') !== null ||
        field.getAttribute('aria-labelledby') !== null ||
        field.closest('label') !== null ||
        document.querySelector(`label[for="${id}"]`) !== null
      expect(isLabelled, field.outerHTML.slice(0, 200)).toBe(true)
    }
  },
)
