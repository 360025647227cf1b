// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import type { ReactNode } from 'react'
import { createRoutesStub, useLocation } from 'react-router'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { Finding, Plan } from '~/core/changes'
import { command } from '~/core/contract'
import { Attention } from './attention'
import { ChooseCluster } from './choose-cluster'
import { CopyButton } from './copy-button'
import { Findings, standingText, useAccepted } from './findings'
import { Later } from './later'
import { PlanSummary, restsText } from './plan'
import { RefLink } from './ref-link'
import { SinceWhen } from './since-when'
import { StateText } from './state'
import { To } from './to'
import { Ago } from './when'

afterEach(cleanup)

const finding = (level: Finding['level'], more: Partial<Finding> = {}): Finding =>
  ({
    rule: 'room',
    key: `room:${level}`,
    level,
    about: 'cluster/cedar',
    code: 'room',
    params: {},
    says: `${level} says`,
    because: [],
    remedies: [],
    ...more,
  }) as Finding

const remedyOf = (says: string): Finding['remedies'][number] => ({
  says,
  change: { patchDraft: [] },
  clears: [],
})

const inRoutes = (
  element: ReactNode,
  at = '/',
  more: { path: string; loader: () => unknown }[] = [],
) => {
  const Here = () => element
  const Stub = createRoutesStub([{ path: '*', Component: Here }, ...more])
  return render(<Stub initialEntries={[at]} />)
}

describe('findings', () => {
  it('say how each weighs, not by its colour alone', () => {
    render(<Findings findings={[finding('stop'), finding('caution'), finding('note')]} />)
    const items = within(screen.getByRole('list', { name: 'Findings' })).getAllByRole('listitem')
    expect(
      items.map((item) => within(item).queryByRole('img')?.getAttribute('aria-label')),
    ).toEqual(['Stop', 'Caution', undefined])
    expect(items[2]?.textContent).toContain('Note')
  })

  it('of a stop unfold their few facts, each with where it comes from', () => {
    const because: Finding['because'] = [
      { code: 'x', params: {}, says: 'h-1 is full', source: 'host/h-1' },
    ]
    const { container } = render(
      <Findings findings={[finding('stop', { because }), finding('caution', { because })]} />,
    )
    expect([...container.querySelectorAll('details')].map(({ open }) => open)).toEqual([
      true,
      false,
    ])
    expect(screen.getAllByText('Why: 1 fact')).toHaveLength(2)
    expect(screen.getAllByText('(host/h-1)')).toHaveLength(2)
  })

  it('hand on the remedy that is pressed with the place it stands at', async () => {
    const onRemedy = vi.fn()
    const remedies = ['Make one fewer', 'Take another site'].map(remedyOf)
    render(<Findings findings={[finding('stop', { remedies })]} onRemedy={onRemedy} />)
    await userEvent.click(screen.getByRole('button', { name: 'Take another site' }))
    expect(onRemedy).toHaveBeenCalledWith(remedies[1], { key: 'room:stop', index: 1 })
  })
})

describe('findings that are pressed', () => {
  it('do not lose a press when they are drawn anew under the pointer', () => {
    const onRemedy = vi.fn()
    const { rerender } = render(
      <Findings
        findings={[finding('stop', { remedies: [remedyOf('Use a')] })]}
        onRemedy={onRemedy}
      />,
    )
    const button = screen.getByRole('button', { name: 'Use a' })
    fireEvent.pointerDown(button)
    rerender(<Findings findings={[]} onRemedy={onRemedy} />)
    expect(button.isConnected).toBe(true)
    fireEvent.click(button)
    expect(onRemedy).toHaveBeenCalledTimes(1)
  })

  it('show what came in the meantime once the press has ended', async () => {
    const { rerender } = render(<Findings findings={[finding('stop')]} />)
    fireEvent.pointerDown(screen.getByText('stop says'))
    rerender(<Findings findings={[finding('note')]} />)
    expect(screen.queryByText('note says')).toBeNull()
    fireEvent.pointerUp(window)
    expect(await screen.findByText('note says')).toBeTruthy()
  })

  it('are accepted one by one, and cautions alone', async () => {
    function Draft() {
      const [accepted, accept] = useAccepted()
      return (
        <>
          <Findings
            findings={[finding('stop'), finding('caution')]}
            accepted={accepted}
            onAccept={accept}
          />
          <output>{[...accepted].join(' ')}</output>
        </>
      )
    }
    render(<Draft />)
    const ticks = screen.getAllByRole('checkbox', { name: 'I accept this' })
    expect(ticks).toHaveLength(1)
    await userEvent.click(ticks[0] ?? document.body)
    expect(screen.getByRole('status').textContent).toBe('room:caution')
    await userEvent.click(ticks[0] ?? document.body)
    expect(screen.getByRole('status').textContent).toBe('')
  })

  it('are summed up by what weighs most', () => {
    expect(standingText([finding('stop'), finding('caution')])).toBe('One thing stops this')
    expect(standingText([finding('caution'), finding('note')])).toBe(
      'Runs once you accept one caution',
    )
    expect(standingText([finding('note')])).toBe('Nothing stands against it')
  })
})

describe('what an estimate rests on', () => {
  const plan = (runs: readonly (number | undefined)[]): Plan => ({
    steps: runs.map((count, i) => ({
      id: String(i),
      after: [],
      group: 'g',
      says: 'do it',
      command: command('machine.stop', { site: 'mossgate', name: 'm-1' }),
      seconds: { likely: 1, worst: 2, ...(count === undefined ? {} : { runs: count }) },
      retry: { attempts: 1, firstSeconds: 1, mostSeconds: 1 },
    })),
    critical: [],
    creates: [],
    alters: [],
    removes: [],
    seconds: { likely: 1, worst: 2 },
    spend: { before: 0, after: 0 },
    reserves: [],
  })

  it.each([
    [[undefined, undefined], 'what is usual, no runs yet'],
    [[12, 30], '30 runs'],
    [[12, undefined], '12 runs, 1 step on what is usual'],
  ] as const)('with runs of %j is told as: %s', (runs, says) => {
    expect(restsText(plan(runs))).toBe(says)
  })

  it('is part of a plan; without one it is said when there will be one', () => {
    const { rerender } = render(<PlanSummary plan={null} />)
    expect(screen.getByText('There is a plan once nothing stops it.')).toBeTruthy()
    rerender(<PlanSummary plan={plan([3])} />)
    expect(screen.getByText('3 runs')).toBeTruthy()
    expect(screen.getByText('1 step')).toBeTruthy()
  })
})

describe('since when something is so', () => {
  const ask = (answer: unknown, question: string) => {
    const loader = vi.fn(() => answer)
    inRoutes(<SinceWhen ask={{ walk: question }} />, '/', [{ path: '/do/since', loader }])
    return loader
  }

  it('is asked once somebody wants to know, and told with what ran then', async () => {
    const loader = ask(
      {
        refused: null,
        was: 'delivered',
        since: '2026-03-02T06:42:10Z',
        changes: [{ id: 'c-4', label: 'firewall of mossgate' }],
      },
      'a',
    )
    expect(loader).not.toHaveBeenCalled()
    await userEvent.click(screen.getByRole('button', { name: 'Since when?' }))
    expect(
      await screen.findByText('It has been so since Mon 2 Mar 06:42:10; before that: delivered.'),
    ).toBeTruthy()
    expect(screen.getByRole('link').getAttribute('href')).toBe('/changes/c-4')
  })

  it('says where it has always been so, or nothing of Gyrarch’s did it', async () => {
    ask({ refused: null, was: null, since: null, changes: [] }, 'b')
    await userEvent.click(screen.getByRole('button', { name: 'Since when?' }))
    expect(await screen.findByText('It has been so for as long as is known.')).toBeTruthy()
    cleanup()
    ask({ refused: null, was: 'dropped', since: '2026-03-02T06:42:10Z', changes: [] }, 'c')
    await userEvent.click(screen.getByRole('button', { name: 'Since when?' }))
    expect(await screen.findByText(/No run of Gyrarch did anything/)).toBeTruthy()
  })

  it('says why it cannot be told', async () => {
    ask({ refused: 'That is no longer kept.' }, 'd')
    await userEvent.click(screen.getByRole('button', { name: 'Since when?' }))
    expect((await screen.findByRole('status')).textContent).toBe('That is no longer kept.')
  })
})

describe('links', () => {
  it('keep the aim and the moment of the page, unless they bring their own', async () => {
    inRoutes(
      <>
        <To path="/wire">keeps</To>
        <To path="/ground?site=a" query={{ aim: 'site/a' }}>
          brings
        </To>
        <To path="/journal" query={{ at: null }}>
          leaves
        </To>
        <RefLink about="node/cedar/c-1">node</RefLink>
        <RefLink about="quorum/x">nowhere</RefLink>
      </>,
      '/fleet?aim=cluster/cedar&at=2026-03-01T00:00:00Z&tab=x',
    )
    const href = async (name: string): Promise<string | null> =>
      (await screen.findByRole('link', { name })).getAttribute('href')
    const moment = 'at=2026-03-01T00%3A00%3A00Z'
    expect(await href('keeps')).toBe(`/wire?aim=cluster%2Fcedar&${moment}`)
    expect(await href('brings')).toBe(`/ground?site=a&aim=site%2Fa&${moment}`)
    expect(await href('leaves')).toBe('/journal?aim=cluster%2Fcedar')
    expect(await href('node')).toBe(`/clusters/cedar?aim=cluster%2Fcedar&${moment}&on=c-1`)
    expect(screen.queryByRole('link', { name: 'nowhere' })).toBeNull()
    expect(screen.getByText('nowhere')).toBeTruthy()
  })
})

describe('a cluster to point at', () => {
  it('is chosen, and the page opens for it', async () => {
    const Choose = () => (
      <ChooseCluster clusters={['cedar', 'dill']} path="/wire" title="Wire" says="…" />
    )
    const Wire = () => <output>{useLocation().search}</output>
    const Stub = createRoutesStub([
      { path: '/', Component: Choose },
      { path: '/wire', Component: Wire },
    ])
    render(<Stub />)
    await userEvent.click(await screen.findByRole('button', { name: 'dill' }))
    expect((await screen.findByRole('status')).textContent).toBe('?aim=cluster%2Fdill')
  })

  it('out of many is found by typing', async () => {
    const clusters = Array.from({ length: 60 }, (_, i) => `cedar-${i}`)
    inRoutes(<ChooseCluster clusters={clusters} path="/wire" title="Wire" says="…" />)
    expect(await screen.findByText('and 36 more')).toBeTruthy()
    await userEvent.type(screen.getByRole('textbox', { name: 'Find a cluster' }), '59')
    expect(screen.getAllByRole('button').map((it) => it.textContent)).toEqual(['cedar-59'])
  })

  it('is raised first where there is none', async () => {
    inRoutes(<ChooseCluster clusters={[]} path="/wire" title="Wire" says="…" />)
    expect(await screen.findByRole('button', { name: 'Raise a cluster' })).toBeTruthy()
  })
})

describe('running later', () => {
  const windows = [
    { name: 'nights', next: '2026-03-03T22:00:00Z', minutes: 60 },
    { name: 'never', next: null, minutes: 60 },
  ]
  const show = (worst: number, given = windows) => {
    const onSchedule = vi.fn()
    render(
      <Later
        windows={given}
        now="2026-03-02T06:00:00Z"
        worst={worst}
        disabled={false}
        onSchedule={onSchedule}
      />,
    )
    return onSchedule
  }

  it('takes the window that opens next, and none that never does', async () => {
    const onSchedule = show(600)
    await userEvent.click(screen.getByRole('button', { name: 'Run later…' }))
    await userEvent.click(screen.getByRole('combobox', { name: 'When' }))
    expect(screen.getAllByRole('option').map((it) => it.textContent)).toEqual([
      'nights, Tue 3 Mar 22:00 UTC',
      'at a time',
    ])
    await userEvent.keyboard('{Escape}')
    await userEvent.click(screen.getByRole('button', { name: 'Schedule' }))
    expect(onSchedule).toHaveBeenCalledWith({ window: 'nights' }, false)
  })

  it('says where the window is shorter than the worst estimate, and has that accepted', async () => {
    const onSchedule = show(7200)
    await userEvent.click(screen.getByRole('button', { name: 'Run later…' }))
    expect(screen.getByText(/At worst it takes longer than the window lasts/)).toBeTruthy()
    await userEvent.click(screen.getByRole('button', { name: 'Schedule' }))
    expect(onSchedule).toHaveBeenCalledWith({ window: 'nights' }, true)
  })

  it('takes no time that is past', async () => {
    show(600, [])
    await userEvent.click(screen.getByRole('button', { name: 'Run later…' }))
    expect(screen.getByText(/It is Mon 2 Mar 06:00:00 already/)).toBeTruthy()
    expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Schedule' }).disabled).toBe(true)
    await userEvent.click(screen.getByRole('button', { name: 'Not later' }))
    expect(screen.getByRole('button', { name: 'Run later…' })).toBeTruthy()
  })
})

describe('small words', () => {
  it('of time say how long ago or until', () => {
    const now = '2026-03-02T06:00:00Z'
    render(
      <>
        <Ago at="2026-03-02T05:58:00Z" now={now} />
        <Ago at="2026-03-02T06:00:30Z" now={now} />
      </>,
    )
    expect(screen.getByText('2 min ago')).toBeTruthy()
    expect(screen.getByText('in 30 s')).toBeTruthy()
  })

  it('of a state come with its glyph', () => {
    const { container } = render(<StateText state="strained" />)
    expect(container.textContent).toBe('strained')
    expect(container.querySelector('[data-state="strained"]')).toBeTruthy()
  })

  it('of attention say what is wanted, else what is well', () => {
    const { rerender } = render(<Attention wants={['2 nodes', '1 claim']} well="All is well." />)
    expect(screen.getByRole('status').textContent).toContain('2 nodes · 1 claim')
    rerender(<Attention wants={[]} well="All is well." />)
    expect(screen.getByRole('status').textContent).toContain('All is well.')
  })

  it('of copying say whether the browser allowed it', async () => {
    const writeText = vi.fn<(text: string) => Promise<void>>()
    Object.defineProperty(navigator, 'clipboard', { value: { writeText }, configurable: true })
    writeText.mockResolvedValueOnce()
    render(<CopyButton text={() => 'secret'}>Copy</CopyButton>)
    fireEvent.click(screen.getByRole('button', { name: 'Copy' }))
    await waitFor(() => expect(screen.getByRole('button').textContent).toBe('Copied'))
    expect(writeText).toHaveBeenCalledWith('secret')
    writeText.mockRejectedValueOnce(new Error('denied'))
    fireEvent.click(screen.getByRole('button'))
    await waitFor(() =>
      expect(screen.getByRole('button').textContent).toBe('The browser did not allow copying'),
    )
  })
})
