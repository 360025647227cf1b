import { describe, expect, it } from 'vitest'
import { command, effectOf, readCommand, targetOf, verbNamed, verbNames } from '.'

describe('a command', () => {
  it('has the port of its verb', () =>
    expect(command('machine.stop', { site: 'mossgate', name: 'm-1' })).toEqual({
      port: 'site',
      verb: 'machine.stop',
      args: { site: 'mossgate', name: 'm-1' },
    }))

  it('is read with the defaults of its schema; what a verb does not know is left out', () => {
    const read = readCommand('node.drain', { cluster: 'cedar', node: 'n', hurry: true })
    expect(read).toMatchObject({ ok: true })
    expect(read.ok && read.args).toEqual({ cluster: 'cedar', node: 'n', allowLocalData: false })
  })

  it.each([
    ['machine.fly', {}, 'unknown-verb', 'machine.fly'],
    ['machine.stop', { site: 'mossgate' }, 'bad-arguments', 'name'],
    [
      'address.hold',
      { site: 's', cluster: 'c', addresses: [{ address: 1 }] },
      'bad-arguments',
      'addresses.0.address',
    ],
  ])('%s with %o is refused: %s', (verb, args, reason, named) => {
    const read = readCommand(verb, args)
    expect(read).toMatchObject({ ok: false, reason })
    expect(read.ok ? '' : read.says).toContain(named)
  })

  it('tells what it makes and removes, and whom it is asked of', () => {
    const made = command('machine.create', {
      site: 'mossgate',
      name: 'birch-1',
      zone: 'mossgate-a',
      size: 'rack-4',
      release: '1.33.2',
      rootDiskGb: 60,
      lifetime: 'on-demand',
      cluster: 'birch',
    })
    expect(effectOf(made)).toEqual({
      makes: ['machine/mossgate/birch-1', 'disk/mossgate/birch-1-root'],
      removes: [],
    })
    expect(targetOf(made)).toBe('site/mossgate')
    expect(effectOf(command('cluster.close', { cluster: 'birch' })).removes).toEqual([
      'cluster/birch',
    ])
    expect(effectOf({ verb: 'machine.fly', args: {} })).toEqual({ makes: [], removes: [] })
  })
})

it('a command is asked of the same place before and after its deferred arguments are known', () => {
  const endpoint = { $from: 'control-plane', path: 'endpoint' }
  expect(targetOf({ verb: 'api.start', args: { cluster: 'birch', endpoint } })).toBe(
    'cluster/birch',
  )
  const before = { $from: 'apply', path: 'before' }
  expect(targetOf(command('objects.put-back', { cluster: 'cedar', before }))).toBe('cluster/cedar')
})

it('every verb has a name of its own, under which it is found', () => {
  expect(new Set(verbNames).size).toBe(verbNames.length)
  for (const name of verbNames) expect(verbNamed(name)?.name).toBe(name)
})
