// @vitest-environment jsdom
import { act, cleanup, fireEvent, render, screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import type { ReactNode } from 'react'
import { createRoutesStub } from 'react-router'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { FrameNode, Rehearsal } from '~/core/rehearsal'
import type { StepRecord } from '~/server/changes/changes'
import type { JoinState } from '~/server/joins/joins'
import type { Noticing } from '~/server/mend/who-notices'
import { DrivesAwaited } from './drives'
import { Film } from './film'
import { Joins } from './joins'
import { RunAsOne } from './run-as-one'
import { Noticed } from './noticed'
import { Chain, Evidence, Seen, StepState } from './step-parts'

afterEach(() => {
  cleanup()
  vi.useRealTimers()
})

/** Something in routes; what it sends is heard. */
function inRoutes(element: ReactNode) {
  const sent: unknown[] = []
  const Here = () => element
  const action = async ({ request }: { readonly request: Request }) => {
    const isJson = request.headers.get('content-type')?.includes('json') === true
    sent.push(isJson ? await request.json() : Object.fromEntries(await request.formData()))
    return { refused: null }
  }
  const Stub = createRoutesStub([{ path: '*', Component: Here, action }])
  render(<Stub />)
  return sent
}

const step = (id: string, more: Partial<StepRecord> = {}): StepRecord => ({
  id,
  after: [],
  says: `do ${id}`,
  group: `group ${id}`,
  port: 'site',
  verb: 'machine.create',
  state: 'running',
  undoing: false,
  attempts: 1,
  mostAttempts: 3,
  seconds: { likely: 60, worst: 120 },
  startedAt: '2026-03-02T06:00:00Z',
  endedAt: null,
  dueAt: null,
  evidence: [],
  cause: null,
  ...more,
})

const seen = (at: string, says: string) => ({ at, code: 'x', params: {}, says })

const node = (name: string, more: Partial<FrameNode> = {}): FrameNode => ({
  cluster: 'cedar',
  name: `cedar-${name}`,
  release: '1.33.2',
  ready: true,
  cordoned: false,
  pods: 4,
  ...more,
})
const rehearsal: Rehearsal = {
  plan: 'p',
  at: '2026-03-02T06:00:00Z',
  seconds: 120,
  steps: [
    {
      id: 'a',
      group: 'cedar-1',
      says: 'drain it',
      startedAt: 0,
      endedAt: 60,
      state: 'done',
      why: null,
      left: [],
    },
  ],
  frames: [
    { at: 0, nodes: [node('1'), node('2')], gone: [], waiting: 0, starting: 0 },
    {
      at: 30,
      nodes: [node('1', { cordoned: true, pods: 0 })],
      gone: [],
      waiting: 1,
      starting: 2,
    },
    {
      at: 120,
      nodes: [node('3', { release: '1.34.1' })],
      gone: ['cedar/cedar-1'],
      waiting: 0,
      starting: 0,
    },
  ],
  short: [],
}
const names = (): readonly (string | null)[] =>
  within(screen.getByRole('list', { name: 'Nodes of cedar' }))
    .getAllByRole('listitem')
    .map((item) => item.getAttribute('title'))

describe('the film of a rehearsal', () => {
  it('begins with the nodes as they are', () => {
    render(<Film rehearsal={rehearsal} />)
    expect(names()).toEqual(['cedar-1: ready', 'cedar-2: ready'])
    expect(screen.getByText(/^cedar-1: drain it/)).toBeTruthy()
  })

  it('is drawn to another moment by arrows: what came, what changed, what is gone', async () => {
    render(<Film rehearsal={rehearsal} />)
    screen.getByRole('slider', { name: 'Moment of the rehearsal' }).focus()
    await userEvent.keyboard('{ArrowRight}')
    expect(names()).toEqual(['cedar-1: takes nothing new', 'cedar-2: ready'])
    expect(screen.getByText(/1 pod waits for a place · 2 pods start/)).toBeTruthy()
    await userEvent.keyboard('{ArrowRight}')
    expect(names()).toEqual(['cedar-2: ready', 'cedar-3: ready'])
    expect(screen.getByText('All is done.')).toBeTruthy()
    expect(screen.getByRole('slider').getAttribute('aria-valuetext')).toBe('after 2 min')
  })

  it('plays to its end and stands there; played again it begins anew', () => {
    vi.useFakeTimers()
    render(<Film rehearsal={rehearsal} />)
    fireEvent.click(screen.getByRole('button', { name: 'Play the rehearsal' }))
    expect(screen.getByRole('button', { name: 'Pause' })).toBeTruthy()
    act(() => void vi.advanceTimersByTime(2000))
    expect(names()).toEqual(['cedar-2: ready', 'cedar-3: ready'])
    fireEvent.click(screen.getByRole('button', { name: 'Play the rehearsal' }))
    expect(names()).toEqual(['cedar-1: ready', 'cedar-2: ready'])
  })

  it('of one moment is no film', () => {
    const [first] = rehearsal.frames
    const { container } = render(
      <Film rehearsal={{ ...rehearsal, frames: first ? [first] : [] }} />,
    )
    expect(container.innerHTML).toBe('')
  })
})

describe('machines that a run waits for', () => {
  const join = (machine: string, more: Partial<JoinState> = {}): JoinState => ({
    machine,
    node: `elm-${machine}`,
    roles: ['control-plane'],
    card: 'enp1s0',
    address: '10.77.12.8/26',
    state: 'waited for',
    until: '2026-11-26T10:00:00Z',
    minutesLeft: 14,
    says: null,
    stuck: false,
    script: '#!/bin/sh\n',
    facts: null,
    ...more,
  })

  it('are counted, and each says how long its script is taken', () => {
    inRoutes(<Joins joins={[join('a'), join('b', { state: 'taken' })]} missing="one more" />)
    expect(screen.getByText('1 of 2 machines have called')).toBeTruthy()
    expect(screen.getByText('its script is taken for 14 more minutes')).toBeTruthy()
    expect(screen.getByText('one more')).toBeTruthy()
    // What has been taken needs no script any more.
    expect(screen.getAllByRole('button', { name: 'Copy the script' })).toHaveLength(1)
  })

  it('show their script when asked, and hide it again', async () => {
    inRoutes(<Joins joins={[join('a')]} missing={null} />)
    expect(screen.queryByText('#!/bin/sh')).toBeNull()
    await userEvent.click(screen.getByRole('button', { name: 'Show it' }))
    expect(screen.getByText('#!/bin/sh')).toBeTruthy()
    await userEvent.click(screen.getByRole('button', { name: 'Hide it' }))
    expect(screen.queryByText('#!/bin/sh')).toBeNull()
  })

  it('get a new script once theirs has ended, and can be run on the stand-in', async () => {
    const sent = inRoutes(
      <Joins joins={[join('a', { state: 'ended', script: null }), join('b')]} missing={null} />,
    )
    await userEvent.click(screen.getByRole('button', { name: 'Make a new script' }))
    await userEvent.click(screen.getByRole('button', { name: 'Run it on the stand-in' }))
    await vi.waitFor(() =>
      expect(sent).toEqual([
        { do: 'join-renew', machine: 'a' },
        { do: 'join-call', machine: 'b' },
      ]),
    )
  })

  it('that were refused say why, and offer no script while the run has given up on them', () => {
    inRoutes(
      <Joins
        joins={[join('a', { state: 'refused', says: 'It has another card.', stuck: true })]}
        missing={null}
      />,
    )
    expect(screen.getByText('It has another card.')).toBeTruthy()
    expect(screen.queryByRole('button', { name: 'Copy the script' })).toBeNull()
    expect(screen.getByText(/Its remedy is below/)).toBeTruthy()
  })
})

describe('drives that a run waits for', () => {
  const drive = (id: string, more: Partial<StepRecord> = {}) =>
    step(id, { verb: 'drive.await', ...more })

  it('are asked for with what each lacks', () => {
    inRoutes(
      <DrivesAwaited
        steps={[
          drive('drive-1', { state: 'done' }),
          drive('drive-2', { evidence: [seen('2026-03-02T06:01:00Z', 'two blobs are missing')] }),
          step('other'),
        ]}
      />,
    )
    expect(screen.getByText('1 of 2 drives have been put in')).toBeTruthy()
    expect(screen.getByText('two blobs are missing')).toBeTruthy()
    expect(screen.getByRole('group', { name: 'Drop a drive' })).toBeTruthy()
  })

  it('are not asked for once all are in, nor while they are taken back', () => {
    inRoutes(
      <>
        <DrivesAwaited steps={[drive('a', { state: 'done' })]} />
        <DrivesAwaited steps={[drive('a', { undoing: true })]} />
      </>,
    )
    expect(screen.queryByRole('group')).toBeNull()
  })
})

describe('drafts to run as one', () => {
  const drafts = ['a', 'b', 'c'].map((name) => ({ id: `c-${name}`, title: `draft ${name}` }))

  it('are chosen in their order, which is told', async () => {
    const sent = inRoutes(<RunAsOne drafts={drafts} />)
    const press = (name: string) =>
      userEvent.click(screen.getByRole('button', { name: `draft ${name}, in the set` }))
    const isReady = (): boolean =>
      !screen.getByRole<HTMLButtonElement>('button', { name: 'Draft them as one' }).disabled
    await press('c')
    expect(isReady()).toBe(false)
    await press('a')
    await press('b')
    await press('a')
    expect(isReady()).toBe(true)
    const second = screen.getByRole('button', { name: 'draft b, in the set' })
    expect(second.textContent).toBe('2')
    await userEvent.click(screen.getByRole('button', { name: 'Draft them as one' }))
    await vi.waitFor(() => expect(sent).toEqual([{ set: ['c-c', 'c-b'] }]))
  })

  it('are two at least', () => {
    inRoutes(<RunAsOne drafts={drafts.slice(0, 1)} />)
    expect(screen.queryByText('Run several as one')).toBeNull()
  })
})

describe('what is told of steps', () => {
  it('says that a running step is being undone', () => {
    render(
      <>
        <StepState step={step('a', { undoing: true })} />
        <StepState step={step('b', { undoing: true, state: 'undone' })} />
      </>,
    )
    expect(screen.getByText('being undone')).toBeTruthy()
    expect(screen.getByText('undone')).toBeTruthy()
  })

  it('has the newest first, each leading to its step', async () => {
    const onSelect = vi.fn()
    render(
      <Seen
        steps={[
          step('a', { evidence: [seen('2026-03-02T06:00:10Z', 'placed')] }),
          step('b', { evidence: [seen('2026-03-02T06:02:00Z', 'booted')] }),
        ]}
        onSelect={onSelect}
      />,
    )
    const lines = screen.getAllByRole('listitem').map((line) => line.textContent)
    expect(lines).toEqual(['06:02:00group bbooted', '06:00:10group aplaced'])
    await userEvent.click(screen.getByRole('button', { name: 'group a' }))
    expect(onSelect).toHaveBeenCalledWith('a')
  })

  it('is not there while nothing was seen', () => {
    const { container } = render(
      <>
        <Seen steps={[step('a')]} onSelect={() => undefined} />
        <Evidence step={step('a')} />
      </>,
    )
    expect(container.innerHTML).toBe('')
  })

  it('leads from what is seen down to the cause', async () => {
    const link = (about: string, says: string) => ({ about, code: 'x', params: {}, says })
    const cause: StepRecord['cause'] = {
      class: 'permanent',
      reason: 'no-room',
      code: 'x',
      params: {},
      says: 'no room',
      chain: [link('zone/mossgate/a', 'is full'), link('machine/mossgate/m-1', 'not placed')],
    }
    inRoutes(<Chain step={step('a', { cause })} />)
    const lines = await screen.findAllByRole('listitem')
    expect(lines.map((line) => line.textContent)).toEqual([
      'machine/mossgate/m-1: not placed',
      'zone/mossgate/a: is full',
    ])
    expect(screen.getAllByRole('link')[0]?.getAttribute('href')).toBe('/ground?site=mossgate')
  })
})

describe('who would notice', () => {
  it('is told by name, and how many more there are', () => {
    const notices = Array.from(
      { length: 15 },
      (_, i): Noticing => ({ what: 'caller', who: `desk-${i}`, says: 'calls it' }) as Noticing,
    )
    render(<Noticed notices={notices} />)
    expect(screen.getAllByRole('listitem')).toHaveLength(12)
    expect(screen.getByText('and 3 more')).toBeTruthy()
  })

  it('is nobody', () => {
    expect(render(<Noticed notices={[]} />).container.innerHTML).toBe('')
  })
})
