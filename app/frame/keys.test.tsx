// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { keyList, letterKeysOn, setLetterKeys, useKey } from './keys'

let pressed: string[] = []
beforeEach(() => {
  pressed = []
  localStorage.clear()
})
afterEach(cleanup)

function Page() {
  useKey('t', () => pressed.push('t'))
  useKey(' ', () => pressed.push('space'))
  useKey('k', () => pressed.push('ctrl k'), { ctrl: true })
  return (
    <>
      <button type="button">Pause</button>
      <input aria-label="Find" />
      <div role="listbox" tabIndex={0} aria-label="Offers" />
      <p tabIndex={0}>plain</p>
    </>
  )
}

describe('single-letter keys', () => {
  it('act wherever nothing else takes letters, whichever case they are typed in', async () => {
    render(<Page />)
    await userEvent.keyboard('t')
    screen.getByText('plain').focus()
    await userEvent.keyboard('T')
    expect(pressed).toEqual(['t', 't'])
  })

  it('are silent in fields and lists, where they are text', async () => {
    render(<Page />)
    await userEvent.type(screen.getByLabelText('Find'), 't t')
    screen.getByLabelText('Offers').focus()
    await userEvent.keyboard('t')
    expect(pressed).toEqual([])
    expect(screen.getByLabelText<HTMLInputElement>('Find').value).toBe('t t')
  })

  it('leave the space bar to a button that has the focus', async () => {
    render(<Page />)
    screen.getByText('Pause').focus()
    await userEvent.keyboard(' t')
    expect(pressed).toEqual(['t'])
    screen.getByText('plain').focus()
    await userEvent.keyboard(' ')
    expect(pressed).toEqual(['t', 'space'])
  })

  it('act with Control only where they ask for it, and then in fields too', () => {
    render(<Page />)
    const field = screen.getByLabelText('Find')
    fireEvent.keyDown(field, { key: 'k', ctrlKey: true })
    fireEvent.keyDown(field, { key: 'K', metaKey: true })
    fireEvent.keyDown(document.body, { key: 'k' })
    fireEvent.keyDown(document.body, { key: 't', ctrlKey: true })
    expect(pressed).toEqual(['ctrl k', 'ctrl k'])
  })

  it('act once while they are held down', () => {
    render(<Page />)
    fireEvent.keyDown(document.body, { key: 't' })
    fireEvent.keyDown(document.body, { key: 't', repeat: true })
    expect(pressed).toEqual(['t'])
  })

  it('can be switched off, and stay so; those with Control remain', () => {
    setLetterKeys(false)
    expect(letterKeysOn()).toBe(false)
    render(<Page />)
    fireEvent.keyDown(document.body, { key: 't' })
    fireEvent.keyDown(document.body, { key: 'k', ctrlKey: true })
    expect(pressed).toEqual(['ctrl k'])
    setLetterKeys(true)
    fireEvent.keyDown(document.body, { key: 't' })
    expect(pressed).toEqual(['ctrl k', 't'])
  })

  it('are each listed once', () => {
    const keys = keyList.map(([key]) => key)
    expect(new Set(keys).size).toBe(keys.length)
  })
})
