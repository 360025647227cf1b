import { describe, expect, it } from 'vitest'
import { findingsOf } from '../changes'
import { bareSite, siteOf } from '../fleet'
import { bareFleet } from '../testing/bare'
import { readContact, siteContact } from './contact'

const site = {
  ...bareSite('mossgate', 'hall', 'fernhollow'),
  nameDomain: 'fernhollow.example',
  records: [{ name: 'desk', type: 'A', ttl: 300, value: '10.20.0.254' }],
}
const view = bareFleet({ sites: [site] })

describe('where machines reach Gyrarch', () => {
  it.each([
    ['http://10.20.0.254:4600', 'http://10.20.0.254:4600'],
    ['https://desk.fernhollow.example', 'https://desk.fernhollow.example'],
    ['http://[fd00::5]:4600/', 'http://[fd00::5]:4600'],
  ])('is read from %s', (text, origin) =>
    expect(readContact(text)).toMatchObject({ ok: true, origin }),
  )

  it.each([
    ['http://127.0.0.1:4600', 'loopback'],
    ['http://127.9.9.9', 'loopback'],
    ['http://2130706433', 'loopback'],
    ['http://localhost:4600', 'loopback'],
    ['http://LOCALHOST.:4600', 'loopback'],
    ['http://[::1]:4600', 'loopback'],
    ['http://[::ffff:127.0.0.1]', 'loopback'],
    ['http://0.0.0.0:4600', 'loopback'],
    ['10.20.0.254', 'unreadable'],
    ['ftp://10.20.0.254', 'unreadable'],
    ['http://10.20.0.254/api', 'more'],
    ['http://duty@10.20.0.254', 'more'],
  ])('is refused as %s', (text, reason) =>
    expect(readContact(text)).toMatchObject({ ok: false, reason }),
  )

  const findings = (address: string | null) =>
    findingsOf(siteContact, { site: 'mossgate', address }, view).map(
      ({ level, rule, remedies }) => [level, rule, remedies.map((remedy) => remedy.says)],
    )

  it('is checked in the draft, with the way out where there is one', () => {
    expect(findings('http://10.20.0.254:4600')).toEqual([])
    expect(findings('http://desk.fernhollow.example')).toEqual([])
    expect(findings('http://lamp.fernhollow.example')).toEqual([['caution', 'contact.name', []]])
    expect(findings('http://localhost')).toEqual([['stop', 'contact.loopback', []]])
    expect(findings('http://10.20.0.254:4600/x')).toEqual([
      ['stop', 'contact.more', ['Use http://10.20.0.254:4600']],
    ])
    expect(findings(null)).toEqual([['stop', 'contact.none', []]])
  })

  it('is kept as scheme, host and port, and forgotten again', () => {
    const kept = siteContact.after?.(
      { site: 'mossgate', address: 'http://10.20.0.254:4600/' },
      view,
    )
    expect(kept && siteOf(kept, 'mossgate')?.gyrarchAt).toBe('http://10.20.0.254:4600')
    const gone = kept && siteContact.after?.({ site: 'mossgate', address: null }, kept)
    expect(gone && siteOf(gone, 'mossgate')?.gyrarchAt).toBeUndefined()
  })
})
