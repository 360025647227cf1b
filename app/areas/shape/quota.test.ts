import { describe, expect, it } from 'vitest'
import { allowed, hardLimits, isNearQuota } from './quota'

const row = { cpu: 1800, memory: 2 ** 30, pods: 4 }

describe('a quota', () => {
  it('bounds requests under either name, in the unit of what is asked for', () => {
    expect(allowed({ ...row, hard: { 'requests.cpu': '2' } }, 'cpu')).toBe(2000)
    expect(allowed({ ...row, hard: { memory: '4Gi' } }, 'memory')).toBe(4 * 2 ** 30)
    expect(allowed({ ...row, hard: { pods: '20' } }, 'pods')).toBe(20)
    expect(allowed({ ...row, hard: { 'limits.cpu': '2' } }, 'cpu')).toBeNull()
  })

  it.each([
    [{}, false],
    [{ 'requests.cpu': '2' }, true],
    [{ 'requests.cpu': '2100m' }, false],
    [{ 'requests.cpu': '20', pods: '4' }, true],
    [{ memory: '1Gi' }, true],
  ])('of %j is near: %s', (hard, near) =>
    expect(isNearQuota({ ...row, hard } as Parameters<typeof isNearQuota>[0])).toBe(near),
  )
})

describe('several quotas of a namespace', () => {
  it('allow what the tightest of them does', () => {
    expect(
      hardLimits([
        { 'requests.cpu': '2', pods: '10' },
        { 'requests.cpu': '1500m', memory: '8Gi' },
        { pods: 20, memory: '16Gi' },
      ]),
    ).toEqual({ 'requests.cpu': '1500m', pods: '10', memory: '8Gi' })
  })

  it('that cannot be read bound nothing, and break nothing', () => {
    const hard = hardLimits([{ 'requests.cpu': 'lots' }, { pods: null }])
    expect(allowed({ ...row, hard }, 'cpu')).toBeNull()
    expect(isNearQuota({ ...row, hard })).toBe(false)
    expect(hardLimits([{ 'requests.cpu': 'lots' }, { 'requests.cpu': '2' }])).toEqual({
      'requests.cpu': '2',
    })
  })
})
