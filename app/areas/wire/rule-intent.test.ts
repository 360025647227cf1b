import { describe, expect, it } from 'vitest'
import { ruleIntent, type TypedRule } from './rule-intent'

const typed: TypedRule = {
  name: 'lamp',
  priority: 400,
  direction: 'in',
  action: 'deny',
  from: ['10.20.0.0/16'],
  to: [],
  protocol: 'tcp',
  ports: ['8080'],
}

describe('a rule of a firewall', () => {
  it('that is new holds for all where nothing is named', () => {
    const { put, ...rest } = ruleIntent('mossgate', typed, null)
    expect(rest).toEqual({ site: 'mossgate' })
    expect(JSON.parse(JSON.stringify(put))).toEqual([
      {
        name: 'lamp',
        priority: 400,
        direction: 'in',
        action: 'deny',
        from: ['10.20.0.0/16'],
        protocol: 'tcp',
        ports: ['8080'],
      },
    ])
  })

  it('that is off stays off when something else of it is changed', () => {
    const before = { ...typed, enabled: false }
    expect(ruleIntent('mossgate', { ...typed, priority: 10 }, before).put[0]).toMatchObject({
      priority: 10,
      enabled: false,
    })
    expect('enabled' in (ruleIntent('mossgate', typed, typed).put[0] ?? {})).toBe(false)
  })

  it('keeps the members it holds for', () => {
    const before = { ...typed, members: ['10.20.16.4'] }
    expect(ruleIntent('mossgate', typed, before).put[0]?.members).toEqual(['10.20.16.4'])
  })

  it('under another name takes the place of the one it was', () => {
    const { put, remove } = ruleIntent('mossgate', { ...typed, name: 'lantern' }, typed)
    expect(put[0]?.name).toBe('lantern')
    expect(remove).toEqual(['lamp'])
    expect('remove' in ruleIntent('mossgate', typed, typed)).toBe(false)
  })
})
