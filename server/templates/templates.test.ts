import { describe, expect, it } from 'vitest'
import { fernlet, gyrarchForAll, type Opened, runOut } from '../testing/open'

let opened: Opened
gyrarchForAll((eachOpened) => {
  opened = eachOpened
})

const stopsOf = (findings: readonly { readonly level: string; readonly rule: string }[]) =>
  findings.filter((finding) => finding.level === 'stop').map((finding) => finding.rule)

describe('a template that ships', () => {
  it.each([
    ['edge-single-node', { '/name': 'elm-12', '/machines/0/nodeName': 'elm-12-a' }, []],
    // The hall has no route to its virtual addresses yet: the draft says so and offers it.
    ['three-zone-hall', { '/name': 'birch' }, ['route.missing']],
    ['cloud-mixed-pools', { '/name': 'sedge' }, []],
  ])('%s makes a sound draft once its open fields are said', async (name, values, stops) => {
    const draft = await opened.gyrarch.templates.draft(name, values)
    expect(stopsOf(draft.findings)).toEqual(stops)
    expect((draft.intent as { ranges: { pods: string } }).ranges.pods).toMatch(
      /^10\.\d+\.\d+\.0\/18$/,
    )
  })

  it('without them is a draft that says what lacks', async () => {
    const draft = await opened.gyrarch.templates.draft('cloud-mixed-pools', {})
    expect(stopsOf(draft.findings)).toEqual(['name.label'])
  })
})

describe('a template', () => {
  it('is kept from a draft, listed, drafted from and removed', async () => {
    const { templates } = opened.gyrarch
    await templates.keep({
      name: 'small-cloud',
      says: 'two nodes',
      kind: 'cluster.raise',
      intent: fernlet,
      open: ['/name'],
    })
    expect((await templates.list()).map((template) => template.name)).toContain('small-cloud')
    expect((await templates.draft('small-cloud', { '/name': 'rush' })).intent).toMatchObject({
      name: 'rush',
      site: 'tarn-north',
    })
    expect((await templates.draft('small-cloud', {})).intent).toMatchObject({
      name: '',
      site: 'tarn-north',
    })
    await expect(
      templates.keep({
        name: 'small-cloud',
        says: '',
        kind: 'cluster.raise',
        intent: fernlet,
        open: [],
      }),
    ).rejects.toThrow(/is a template small-cloud already/)
    await templates.remove('small-cloud')
    await expect(templates.get('small-cloud')).rejects.toThrow(/no template/)
  })

  it.each([
    [{ name: 'Not A Name' }, /no template name/],
    [{ kind: 'cluster.polish' }, /no change kind/],
    [{ open: ['/nothing/here'] }, /no field \/nothing\/here/],
    [{ intent: { name: 3 } }, /./],
  ])('with %j is refused', async (wrong, says) => {
    await expect(
      opened.gyrarch.templates.keep({
        name: 'other',
        says: '',
        kind: 'cluster.raise',
        intent: fernlet,
        open: [],
        ...wrong,
      }),
    ).rejects.toThrow(says)
  })

  it('takes values only for what it leaves open', async () => {
    await expect(
      opened.gyrarch.templates.draft('edge-single-node', { '/release': '1.32.6' }),
    ).rejects.toThrow(/is not left open/)
  })
})

describe('boot data of a run', () => {
  it('is downloaded with tokens, looked at without, as files, archive and volume', async () => {
    const { gyrarch } = opened
    const draft = await gyrarch.templates.draft('edge-single-node', {
      '/name': 'elm-12',
      '/machines/0/nodeName': 'elm-12-a',
    })
    const [view] = await gyrarch.boot.views(draft.id)
    expect(view).toMatchObject({
      machine: 'gh12-box',
      node: 'elm-12-a',
      handed: 'inline',
      limitBytes: null,
    })
    expect(view?.userData).not.toMatch(/[0-9a-f]{6}\.[0-9a-f]{16}/)
    const file = await gyrarch.boot.file(draft.id, 'gh12-box', 'user-data')
    const token = /token: "([0-9a-f]{6}\.[0-9a-f]{16})"/.exec(file.body.toString())?.[1]
    expect(token).toBeDefined()
    const tar = await gyrarch.boot.tar(draft.id)
    expect(tar.subarray(257, 262).toString()).toBe('ustar')
    expect(tar.includes('gh12-box/network-config')).toBe(true)
    const volume = await gyrarch.boot.file(draft.id, 'gh12-box', 'seed.iso')
    expect(volume.body.subarray(32_769, 32_774).toString()).toBe('CD001')
    expect(volume.body.includes(token ?? 'none')).toBe(true)
    await expect(gyrarch.boot.file(draft.id, 'nobody', 'user-data')).rejects.toThrow(
      /boots no machine/,
    )
    await expect(gyrarch.boot.file(draft.id, 'gh12-box', 'secrets')).rejects.toThrow(/no boot file/)
  })
})

describe('a credential', () => {
  it('lies sealed, is checked with its site, and a draft minds when it is gone', async () => {
    const { gyrarch } = opened
    await gyrarch.credentials.enter({
      site: 'tarn-north',
      name: 'second',
      secret: 'a long enough secret',
      until: '2026-12-01T00:00:00Z',
    })
    const credential = (await gyrarch.fleet.view()).credentials.find(
      (candidate) => candidate.name === 'second',
    )
    expect(credential?.checked).toMatchObject({ good: true, says: 'accepted' })
    const [rows] = await gyrarch.database.sequelize.query('SELECT * FROM credentials')
    expect(JSON.stringify(rows)).not.toContain('a long enough secret')
    for (const name of ['second', 'fernhollow-development'])
      await gyrarch.credentials.remove('tarn-north', name)
    const draft = await gyrarch.changes.draft('cluster.raise', fernlet)
    expect(draft.findings.find((finding) => finding.level === 'stop')?.rule).toBe(
      'credentials.valid',
    )
    await expect(
      gyrarch.credentials.enter({
        site: 'tarn-north',
        name: 'Bad Name',
        secret: 'short',
        until: '2020-01-01',
      }),
    ).rejects.toThrow(/name .*secret .*until/)
  })
})

describe('a site', () => {
  it('is added, given hosts, raised on and taken away again', async () => {
    const { gyrarch } = opened
    const run = async (kind: string, intent: unknown) => {
      const draft = await gyrarch.changes.draft(kind, intent)
      expect(stopsOf(draft.findings)).toEqual([])
      await gyrarch.changes.run(draft.id, { accept: draft.findings.map((finding) => finding.key) })
      const done = await runOut(gyrarch, draft.id)
      expect(done.cause?.says ?? null).toBeNull()
      expect([done.state, done.proof?.every((proof) => proof.holds)]).toEqual(['done', true])
    }
    const host = (name: string) => ({
      name,
      zone: 'reedbank-a',
      cores: 16,
      memoryGiB: 128,
      diskGb: 4000,
      idleWatts: 90,
      fullWatts: 210,
    })
    const size = { name: 'rack-4', cores: 4, memoryGiB: 16, diskGb: 60 }
    await run('site.add', {
      name: 'reedbank',
      kind: 'hall',
      domain: 'fernhollow',
      nameDomain: 'fernhollow.example',
      zones: ['reedbank-a'],
      hosts: [host('r-1')],
      sizes: [size],
      networks: [
        {
          name: 'reedbank management',
          range: '10.21.0.0/24',
          role: 'management',
          gateway: '10.21.0.1',
          dhcp: '10.21.0.200-10.21.0.239',
        },
        {
          name: 'reedbank nodes',
          range: '10.21.16.0/22',
          role: 'nodes',
          dhcp: '10.21.16.50-10.21.19.200',
        },
      ],
    })
    await run('site.edit', { site: 'reedbank', addHosts: [host('r-2')] })
    await run('image.place', { site: 'reedbank', release: '1.33.2' })
    await run('cluster.raise', {
      name: 'willow',
      site: 'reedbank',
      release: '1.33.2',
      controlPlane: { kind: 'own', count: 1, alsoWorkers: true },
      pools: [],
      ranges: { pods: '10.140.0.0/18', services: '10.141.0.0/20', maxPodsPerNode: 110 },
    })
    const keep = await gyrarch.changes.draft('site.remove', { site: 'reedbank' })
    expect(stopsOf(keep.findings)).toEqual(['site.clusters'])
    await run('cluster.takedown', { cluster: 'willow' })
    await run('site.remove', { site: 'reedbank' })
    expect((await gyrarch.fleet.view()).sites.map((site) => site.name)).not.toContain('reedbank')
  })
})
