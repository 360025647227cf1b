// @vitest-environment jsdom
import { cleanup, render, screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { Day } from './day'
import { Moment } from './moment'
import { picked } from './picked'

afterEach(cleanup)

describe('a picked field', () => {
  it('is text until it is gone to, then its picker with the focus', async () => {
    const onChange = vi.fn()
    const user = userEvent.setup()
    const { container } = render(<Day label="Until" value="2026-03-09" onChange={onChange} />)
    expect(screen.getByLabelText<HTMLInputElement>('Until').value).toBe('2026-03-09')
    await user.tab()
    await screen.findByRole('spinbutton', { name: 'Day' })
    await waitFor(() => expect(container.contains(document.activeElement)).toBe(true))
    await user.click(screen.getByRole('spinbutton', { name: 'Day' }))
    await user.keyboard('17')
    expect(onChange).toHaveBeenLastCalledWith('2026-03-17')
  })

  it('of a moment gives it to the second in UTC, and nothing while it is none', async () => {
    const onChange = vi.fn()
    const user = userEvent.setup()
    render(<Moment label="Then" value="2026-03-09T07:13:02Z" onChange={onChange} />)
    await user.hover(screen.getByLabelText('Then'))
    await user.click(await screen.findByRole('spinbutton', { name: 'Hours' }))
    await user.keyboard('21')
    expect(onChange).toHaveBeenLastCalledWith('2026-03-09T21:13:02Z')
    onChange.mockClear()
    await user.click(screen.getByRole('spinbutton', { name: 'Minutes' }))
    await user.keyboard('{Backspace}')
    expect(onChange).not.toHaveBeenCalled()
  })

  it('stays text where its picker cannot be loaded', async () => {
    const load = vi.fn(() => Promise.reject(new Error('no network')))
    const Part = picked(load, 100)
    const user = userEvent.setup()
    render(<Part label="At" value="07:30" onChange={() => undefined} />)
    await user.hover(screen.getByLabelText('At'))
    await waitFor(() => expect(load).toHaveBeenCalled())
    expect(screen.getByLabelText<HTMLInputElement>('At').value).toBe('07:30')
  })
})
