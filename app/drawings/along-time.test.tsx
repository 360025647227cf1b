// @vitest-environment jsdom
import { render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import { SupportChart } from './support-chart'
import { Tracks } from './tracks'
import { withoutLayout } from '~/app/testing/without-layout'

withoutLayout()

describe('releases along a calendar', () => {
  const lines = [
    { minor: '1.31', from: '2025-08-01', until: '2026-04-01', runs: ['bramble'] },
    { minor: '1.33', from: '2026-01-01', until: '2027-03-01', runs: ['cedar', 'dill'] },
  ]

  it('are asked for another day by keyboard: a day, or a month', async () => {
    const onDay = vi.fn()
    render(<SupportChart lines={lines} today="2026-03-02" day="2026-03-02" onDay={onDay} />)
    const slider = screen.getByRole('slider')
    expect(slider.getAttribute('aria-valuetext')).toBe('2026-03-02')
    slider.focus()
    await userEvent.keyboard('{ArrowRight}{ArrowLeft}{PageUp}{PageDown}x')
    expect(onDay.mock.calls).toEqual([
      ['2026-03-03'],
      ['2026-03-01'],
      ['2026-04-01'],
      ['2026-01-31'],
    ])
  })

  it('that are over by that day look so, with those who run them', () => {
    const { container } = render(
      <SupportChart lines={lines} today="2026-03-02" day="2026-05-01" onDay={() => undefined} />,
    )
    expect(
      [...container.querySelectorAll('rect.release')].map((rect) => rect.getAttribute('class')),
    ).toEqual(['release over', 'release'])
    expect(screen.getByText('cedar, dill').getAttribute('class')).toBe('runs')
    expect(screen.getByText('bramble').getAttribute('class')).toBe('runs over')
  })
})

describe('what was seen by source', () => {
  it('has a track for each that told something, and one mark for what was told at once', () => {
    const { container } = render(
      <Tracks
        since="2026-03-02T06:00:00Z"
        until="2026-03-02T07:00:00Z"
        tracks={[
          { name: 'changes', marks: [] },
          {
            name: 'event m-1',
            marks: [
              { at: '2026-03-02T06:10:00Z', says: 'disk is full', isCause: false },
              { at: '2026-03-02T06:10:01Z', says: 'disk is full', isCause: true },
            ],
          },
          { name: 'silent', marks: [] },
        ]}
      />,
    )
    expect([...container.querySelectorAll('text.name')].map((text) => text.textContent)).toEqual([
      'changes',
      'event m-1',
    ])
    const marks = [...container.querySelectorAll('.seen-mark')]
    expect(marks.map((mark) => mark.querySelector('title')?.textContent)).toEqual([
      'disk is full ×2',
    ])
    expect(marks[0]?.getAttribute('class')).toContain('cause')
    expect(screen.getByText('it turned here')).toBeTruthy()
  })
})
