import { describe, expect, it } from 'vitest'
import { bareCluster, bareFleet } from '../testing/bare'
import { kindNamed } from '../kinds'
import type { ClusterView, WindowView } from '../fleet'
import { clusterLabel } from './label'

const night = (name: string, labels: Readonly<Record<string, string>>): WindowView => ({
  name,
  start: '2026-03-02T22:00',
  zone: 'Europe/Berlin',
  minutes: 240,
  rule: 'FREQ=DAILY',
  except: [],
  clusters: [],
  labels,
})

const fleetWith = (cluster: Partial<ClusterView>, windows: readonly WindowView[] = []) =>
  bareFleet({
    clusters: [bareCluster('dill', 'tarn-north', { labels: { team: 'orchids' }, ...cluster })],
    windows,
  })

const codes = (intent: object, view = fleetWith({})): readonly string[] => {
  const read = kindNamed('cluster.label')?.read({ cluster: 'dill', ...intent })
  if (!read?.ok) throw new Error('the intent does not read')
  return read.draft.findings(view).map(({ level, rule }) => `${level} ${rule}`)
}

describe('labels of a cluster', () => {
  it('are all of them: what is left out is taken off', () => {
    const intent = { cluster: 'dill', labels: { tier: 'gold' } }
    const view = fleetWith({})
    expect(clusterLabel.plan(intent, view).steps[0]?.command.args).toEqual({
      cluster: 'dill',
      labels: { tier: 'gold' },
      guarded: false,
    })
    expect(clusterLabel.after?.(intent, view).clusters[0]?.labels).toEqual({ tier: 'gold' })
  })

  it('are put back as they were', () => {
    const view = fleetWith({ guarded: true })
    const [set] = clusterLabel.plan({ cluster: 'dill', labels: {}, guarded: false }, view).steps
    expect(set?.undo?.args).toEqual({
      cluster: 'dill',
      labels: { team: 'orchids' },
      guarded: true,
    })
  })

  it.each([
    [{ labels: { 'no good': 'x' } }, ['stop label.key']],
    [{ labels: { team: 'no good' } }, ['stop label.value']],
    [{ labels: { team: 'orchids' } }, ['stop label.same']],
    [{ labels: { team: 'orchids' }, guarded: false }, ['stop label.same']],
    [{ labels: { team: 'orchids' }, guarded: true }, []],
    [{ labels: {} }, []],
  ])('%j finds %j', (intent, rules) => expect(codes(intent)).toEqual(rules))

  it('of a cluster that is not there are a stop', () => {
    expect(codes({ cluster: 'nobody', labels: {} }).some((rule) => rule.startsWith('stop'))).toBe(
      true,
    )
  })

  it('that are its only way into a maintenance window are a caution to take off', () => {
    const view = fleetWith({}, [night('orchid nights', { team: 'orchids' })])
    expect(codes({ labels: {} }, view)).toEqual(['caution label.windowless'])
    const both = fleetWith({}, [
      night('orchid nights', { team: 'orchids' }),
      night('gold nights', { tier: 'gold' }),
    ])
    expect(codes({ labels: { tier: 'gold' } }, both)).toEqual(['note label.windows'])
  })

  it('are not kept while a guard goes unsaid: taking it off is a caution', () => {
    const view = fleetWith({ guarded: true })
    expect(codes({ labels: { team: 'orchids' }, guarded: false }, view)).toEqual([
      'caution label.guard',
    ])
    const intent = { cluster: 'dill', labels: {} }
    expect(clusterLabel.plan(intent, view).steps[0]?.command.args['guarded']).toBe(true)
    expect(clusterLabel.guardedBy(intent, view)).toBe('dill')
  })

  it('are proven by the register', () => {
    const intent = { cluster: 'dill', labels: { team: 'orchids' }, guarded: true }
    expect(clusterLabel.prove(intent, fleetWith({}), {}).map(({ holds }) => holds)).toEqual([
      true,
      false,
    ])
    expect(
      clusterLabel.prove(intent, fleetWith({ guarded: true }), {}).every(({ holds }) => holds),
    ).toBe(true)
  })
})
