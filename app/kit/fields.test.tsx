// @vitest-environment jsdom
import { cleanup, render, screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { useState } from 'react'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { Choice } from './choice'
import { Drop } from './drop'
import { Field } from './field'
import { LabelsField } from './labels-field'
import { Level } from './level'
import { Notice, Refused } from './notice'
import { NumberField } from './number-field'
import { Pick } from './pick'
import { SeveralField } from './several-field'
import { SuggestField } from './suggest-field'
import { Switch, Tick } from './tick'
import { Tip } from './tip'
import { Toggle, Toggles } from './toggles'
import { WordsField } from './words-field'

afterEach(cleanup)

const input = (name: string): HTMLInputElement => screen.getByLabelText(name)

describe('a field', () => {
  it('says under it why what stands there cannot be taken, instead of its help', () => {
    const { rerender } = render(<Field label="Name" help="A letter first." />)
    expect(screen.getByText('A letter first.')).toBeTruthy()
    expect(input('Name').getAttribute('aria-invalid')).toBe('false')
    rerender(<Field label="Name" help="A letter first." error="It is taken." />)
    expect(screen.queryByText('A letter first.')).toBeNull()
    const says = screen.getByText('It is taken.')
    expect(input('Name').getAttribute('aria-invalid')).toBe('true')
    expect(input('Name').getAttribute('aria-describedby')).toBe(says.id)
  })

  it('with a label that is not shown is still called by it', () => {
    render(<Field label="Find a cluster" hideLabel />)
    expect(screen.queryByText('Find a cluster')).toBeNull()
    expect(input('Find a cluster')).toBeTruthy()
  })

  it('takes no more than it is allowed to hold, and hides what is secret', async () => {
    render(<Field label="Token" maxLength={4} isSecret defaultValue="" />)
    await userEvent.type(input('Token'), 'abcdef')
    expect(input('Token').value).toBe('abcd')
    expect(input('Token').type).toBe('password')
  })

  it('hands on what is entered once Enter is pressed', async () => {
    const onEnter = vi.fn()
    render(<Field label="Name" onEnter={onEnter} />)
    await userEvent.type(input('Name'), 'oak')
    expect(onEnter).not.toHaveBeenCalled()
    await userEvent.keyboard('{Enter}')
    expect(onEnter).toHaveBeenCalledTimes(1)
  })
})

describe('a number field', () => {
  it('stays empty while it is typed anew, although whoever is told of nothing takes the least', async () => {
    function Steps() {
      const [steps, setSteps] = useState(5)
      return (
        <NumberField
          label="Steps"
          min={1}
          value={steps}
          onChange={(count) => setSteps(Math.max(1, count ?? 0))}
        />
      )
    }
    render(<Steps />)
    await userEvent.clear(input('Steps'))
    expect(input('Steps').value).toBe('')
    await userEvent.type(input('Steps'), '4')
    expect(input('Steps').value).toBe('4')
    // One that is left empty shows what was taken for it.
    await userEvent.clear(input('Steps'))
    await userEvent.tab()
    expect(input('Steps').value).toBe('1')
  })

  it('tells numbers, and nothing where it is empty', async () => {
    const onChange = vi.fn<(value: number | undefined) => void>()
    function Port() {
      const [value, setValue] = useState<number | undefined>(443)
      return (
        <NumberField
          label="Port"
          value={value}
          onChange={(next) => {
            setValue(next)
            onChange(next)
          }}
        />
      )
    }
    render(<Port />)
    await userEvent.clear(input('Port'))
    expect(onChange).toHaveBeenLastCalledWith(undefined)
    expect(input('Port').value).toBe('')
    await userEvent.type(input('Port'), '80')
    expect(onChange).toHaveBeenLastCalledWith(80)
  })

  it('tells the browser its bounds and steps', () => {
    render(<NumberField label="Port" min={1} max={65_535} step={5} defaultValue={6} />)
    const { min, max, step } = input('Port')
    expect([min, max, step]).toEqual(['1', '65535', '5'])
    expect(input('Port').checkValidity()).toBe(true)
  })
})

describe('words', () => {
  it('are told once the field is left, parted by spaces, commas and lines', async () => {
    const onChange = vi.fn()
    render(<WordsField label="Ranges" value={['10.0.0.0/8']} onChange={onChange} />)
    await userEvent.type(input('Ranges'), ' , 192.168.0.0/16,fd00::/8')
    expect(onChange).not.toHaveBeenCalled()
    await userEvent.tab()
    expect(onChange.mock.calls).toEqual([[['10.0.0.0/8', '192.168.0.0/16', 'fd00::/8']]])
  })

  it('are not told where nothing was changed', async () => {
    const onChange = vi.fn()
    render(<WordsField label="Ranges" value={['a', 'b']} onChange={onChange} />)
    await userEvent.click(input('Ranges'))
    await userEvent.tab()
    expect(onChange).not.toHaveBeenCalled()
  })

  it('that are given anew replace what was being typed', async () => {
    const { rerender } = render(
      <WordsField label="Ranges" value={['a']} onChange={() => undefined} />,
    )
    await userEvent.type(input('Ranges'), ' half')
    rerender(<WordsField label="Ranges" value={['c', 'd']} onChange={() => undefined} />)
    expect(input('Ranges').value).toBe('c d')
  })
})

describe('several of what is offered', () => {
  it('are chosen by typing, and taken out one by one', async () => {
    const onChange = vi.fn<(chosen: readonly string[]) => void>()
    function Zones() {
      const [value, setValue] = useState<readonly string[]>(['east-1'])
      return (
        <SeveralField
          label="Zones"
          value={value}
          options={['east-1', 'east-2', 'east-3']}
          onChange={(chosen) => {
            setValue(chosen)
            onChange(chosen)
          }}
        />
      )
    }
    render(<Zones />)
    await userEvent.type(input('Zones'), '3')
    const options = screen.getAllByRole('option').map((option) => option.textContent)
    expect(options).toEqual(['east-3'])
    await userEvent.click(screen.getByRole('option', { name: 'east-3' }))
    expect(onChange).toHaveBeenLastCalledWith(['east-1', 'east-3'])
    await userEvent.keyboard('{Backspace}')
    expect(onChange).toHaveBeenLastCalledWith(['east-1'])
  })

  it('are still shown where they are no longer offered', () => {
    render(
      <SeveralField label="Zones" value={['gone-1']} options={['a']} onChange={() => undefined} />,
    )
    expect(screen.getByText('gone-1')).toBeTruthy()
  })
})

describe('a text of which the likely ones are offered', () => {
  it('takes any other too', async () => {
    const onChange = vi.fn()
    render(
      <SuggestField
        label="Size"
        defaultValue=""
        suggestions={['post-4-16', 'post-8-32']}
        onChange={onChange}
      />,
    )
    await userEvent.type(input('Size'), '8')
    await userEvent.click(screen.getByRole('option', { name: 'post-8-32' }))
    expect(onChange).toHaveBeenLastCalledWith('post-8-32')
    await userEvent.clear(input('Size'))
    await userEvent.type(input('Size'), 'own-1')
    expect(onChange).toHaveBeenLastCalledWith('own-1')
  })
})

describe('one out of a list', () => {
  const many = Array.from({ length: 40 }, (_, i) => `cluster-${i}`)

  it('unfolds where it is short', async () => {
    const onChange = vi.fn()
    render(<Choice label="Way" options={['in', 'out']} value="in" onChange={onChange} />)
    await userEvent.click(screen.getByRole('combobox', { name: 'Way' }))
    const options = within(screen.getByRole('listbox')).getAllByRole('option')
    expect(options.map((option) => option.textContent)).toEqual(['in', 'out'])
    await userEvent.click(screen.getByRole('option', { name: 'out' }))
    expect(onChange).toHaveBeenLastCalledWith('out')
  })

  it('keeps showing a value that is no longer offered', () => {
    render(<Choice label="Way" options={['in', 'out']} value="across" />)
    expect(screen.getByText('across (not offered)')).toBeTruthy()
  })

  it('is typed into where it is long', async () => {
    const onChange = vi.fn()
    render(<Choice label="Cluster" options={many} value="cluster-3" onChange={onChange} />)
    await waitFor(() => expect(input('Cluster').getAttribute('aria-autocomplete')).toBe('list'))
    await userEvent.clear(input('Cluster'))
    await userEvent.type(input('Cluster'), '39{Enter}')
    expect(onChange).toHaveBeenLastCalledWith('cluster-39')
  })

  it('offers nothing to be chosen only where that is possible', async () => {
    render(<Choice label="Way" options={['in', 'out']} value="in" empty="either way" />)
    await userEvent.click(screen.getByRole('combobox', { name: 'Way' }))
    expect(screen.getByRole('option', { name: 'either way' })).toBeTruthy()
  })
})

describe('yes or no', () => {
  it('is told as it is after the press', async () => {
    const onTick = vi.fn()
    const onSwitch = vi.fn()
    render(
      <>
        <Tick label="I accept this" checked={false} onChange={onTick} />
        <Switch label="Guarded" checked onChange={onSwitch} />
      </>,
    )
    await userEvent.click(screen.getByLabelText('I accept this'))
    await userEvent.click(screen.getByLabelText('Guarded'))
    expect(onTick).toHaveBeenCalledWith(true)
    expect(onSwitch).toHaveBeenCalledWith(false)
  })

  it('is read aloud by what it is of, where its label says too little', () => {
    render(<Tick label="on" says="Mail to the desk" checked={false} />)
    expect(screen.getByRole('checkbox', { name: 'Mail to the desk' })).toBeTruthy()
  })

  it('is one of several rows where only one can be it', async () => {
    const chosen: string[] = []
    render(
      <>
        {['a', 'b'].map((row) => (
          <Pick
            key={row}
            name="row"
            label={row}
            says={`Row ${row}`}
            checked={row === 'a'}
            onChange={() => chosen.push(row)}
          />
        ))}
      </>,
    )
    await userEvent.click(screen.getByLabelText('Row b'))
    expect(chosen).toEqual(['b'])
    expect(screen.getByLabelText<HTMLInputElement>('Row a').checked).toBe(true)
  })
})

describe('toggles', () => {
  it('tell all that are chosen, in the order they are offered in', async () => {
    const onChange = vi.fn()
    render(
      <Toggles label="Days" options={['mon', 'tue', 'wed']} chosen={['wed']} onChange={onChange} />,
    )
    await userEvent.click(screen.getByText('mon'))
    expect(onChange).toHaveBeenLastCalledWith(['mon', 'wed'])
    await userEvent.click(screen.getByText('wed'))
    expect(onChange).toHaveBeenLastCalledWith([])
  })

  it('of which one is chosen never leave none', async () => {
    const onChange = vi.fn()
    render(<Toggle label="Way" options={['in', 'out']} value="in" onChange={onChange} />)
    await userEvent.click(screen.getByText('in'))
    expect(onChange).not.toHaveBeenCalled()
    await userEvent.click(screen.getByText('out'))
    expect(onChange).toHaveBeenCalledWith('out')
  })
})

describe('a level', () => {
  it('is moved by arrows within its bounds, and told by its unit', async () => {
    const onChange = vi.fn()
    render(
      <Level label="At 06:00" value={95} max={100} step={5} unit="a second" onChange={onChange} />,
    )
    const slider = screen.getByRole('slider', { name: 'At 06:00' })
    expect(slider.getAttribute('aria-valuetext')).toBe('95 a second')
    slider.focus()
    await userEvent.keyboard('{ArrowUp}')
    expect(onChange).toHaveBeenLastCalledWith(100)
  })
})

describe('a place to drop a file', () => {
  /** A file as browsers have it; that of jsdom cannot be read. */
  function csv(bytes: number): File {
    const text = 'x'.repeat(bytes)
    const file = new File([text], 'ranges.csv', { type: 'text/csv' })
    return Object.assign(file, { text: () => Promise.resolve(text) })
  }
  function show(onText = vi.fn<(text: string, name: string) => void>()) {
    render(
      <Drop what="CSV file" accept={{ 'text/csv': ['.csv'] }} maxBytes={2048} onText={onText} />,
    )
    return onText
  }

  it('hands on the text of the file with its name', async () => {
    const onText = show()
    await userEvent.upload(input('CSV file'), csv(3))
    await waitFor(() => expect(onText).toHaveBeenCalledWith('xxx', 'ranges.csv'))
  })

  it('says of one that is too large how large it is and may be', async () => {
    const onText = show()
    await userEvent.upload(input('CSV file'), csv(5000))
    expect((await screen.findByRole('alert')).textContent).toContain(
      'It is 5 KiB; a CSV file is at most 2 KiB.',
    )
    expect(onText).not.toHaveBeenCalled()
  })

  it('says of another kind of file what it takes', async () => {
    show()
    const upload = userEvent.setup({ applyAccept: false })
    await upload.upload(input('CSV file'), new File(['{}'], 'x.json', { type: 'application/json' }))
    expect((await screen.findByRole('alert')).textContent).toBe(
      'x.json was not taken. A CSV file ends in .csv.',
    )
  })
})

describe('what has to be told', () => {
  it('interrupts only where it keeps something from being done', () => {
    render(
      <>
        <Notice>It is refused.</Notice>
        <Notice level="note">It takes a while.</Notice>
      </>,
    )
    expect(screen.getByRole('alert').textContent).toBe('It is refused.')
    expect(screen.getByRole('status').textContent).toBe('It takes a while.')
  })

  it('is nothing where nothing was refused', () => {
    const { container } = render(
      <>
        <Refused says={null} />
        <Refused says="" />
        <Refused says={undefined} />
      </>,
    )
    expect(container.textContent).toBe('')
  })

  it('on hover leaves the name of a thing as it is', async () => {
    render(
      <Tip says="Proven by recomputing">
        <button type="button">Use it</button>
      </Tip>,
    )
    const button = screen.getByRole('button', { name: 'Use it' })
    await userEvent.hover(button)
    const tip = await screen.findByRole('tooltip')
    expect(tip.textContent).toBe('Proven by recomputing')
    expect(button.getAttribute('aria-describedby')).toBe(tip.id)
  })
})

describe('labels', () => {
  it('are written as keys with values, and told once the field is left', async () => {
    const onChange = vi.fn()
    render(
      <LabelsField label="Labels" value={{ team: 'orchids', night: '' }} onChange={onChange} />,
    )
    expect(input('Labels').value).toBe('team=orchids night')
    await userEvent.type(input('Labels'), ' note=a=b, team=ferns')
    await userEvent.tab()
    expect(onChange.mock.calls).toEqual([[{ team: 'ferns', night: '', note: 'a=b' }]])
  })
})
