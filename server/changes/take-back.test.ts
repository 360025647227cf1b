import { describe, expect, it } from 'vitest'
import { clusterOf } from '~/core/fleet'
import { type Opened, gyrarchForEach, runOut } from '../testing/open'
import type { Refusal } from './errors'

let opened: Opened
gyrarchForEach((made) => (opened = made))

const run = async (kind: string, intent: unknown): Promise<string> => {
  const { changes } = opened.gyrarch
  const drafted = await changes.draft(kind, intent)
  await changes.run(drafted.id, {
    accept: drafted.findings.map((finding) => finding.key),
    ...(drafted.guardedBy === null ? {} : { confirm: drafted.guardedBy }),
  })
  expect(await runOut(opened.gyrarch, drafted.id)).toMatchObject({ state: 'done' })
  return drafted.id
}
const apply = (text: string) =>
  run('manifest.apply', { cluster: 'dill', text, manager: 'team-files' })
const space = 'apiVersion: v1\nkind: Namespace\nmetadata: { name: trials }\n'
const config = (value: string) =>
  `apiVersion: v1\nkind: ConfigMap\nmetadata: { name: notes, namespace: trials }\ndata: { sown: ${value} }\n`
const listed = async (kind: string) =>
  ((await opened.gyrarch.observe.objects('dill', { kind })) ?? []).map(
    (object) => (object['metadata'] as { name: string }).name,
  )
const states = async (...ids: string[]) =>
  Promise.all(ids.map(async (id) => (await opened.gyrarch.changes.get(id)).state))
const settle = async (): Promise<void> => {
  for (let i = 0; i < 12; i++) await opened.gyrarch.outside.advance(30)
}

describe('taking back what others have built on', () => {
  it('names the later runs; with them, all go in reverse order', async () => {
    const { changes } = opened.gyrarch
    const made = await apply(space)
    const wrote = await apply(config('"peas"'))
    const rewrote = await apply(config('"beans"'))
    const refusal = (await changes.takeBack(made).catch((error: unknown) => error)) as Refusal
    expect(refusal).toMatchObject({ code: 'conflict' })
    expect(refusal.message).toContain('2 later runs stand on what')
    expect(refusal.fields.map(({ path, says }) => [path, says])).toEqual([
      ['with', wrote],
      ['with', rewrote],
    ])
    expect(await listed('ConfigMap')).toContain('notes')
    await expect(changes.takeBack(made, undefined, [wrote])).rejects.toMatchObject({
      code: 'conflict',
    })
    await changes.takeBack(made, undefined, [rewrote, wrote])
    await settle()
    expect(await states(made, wrote, rewrote)).toEqual(['taken-back', 'taken-back', 'taken-back'])
    expect(await listed('Namespace')).not.toContain('trials')
    const ended = (await opened.gyrarch.journal({ kind: 'run.taken-back', limit: 9 })).map(
      (line) => line.change,
    )
    expect(ended.reverse()).toEqual([rewrote, wrote, made])
  })

  it('a run that stands on nothing goes by itself, and leaves the others', async () => {
    const made = await apply(space)
    const wrote = await apply(config('"peas"'))
    await opened.gyrarch.changes.takeBack(wrote)
    await settle()
    expect(await states(made, wrote)).toEqual(['done', 'taken-back'])
    expect((await opened.gyrarch.changes.get(wrote)).proof).toEqual([
      {
        says: 'Nothing that it had made is left',
        holds: true,
        observed: '1 thing looked for, none there',
      },
    ])
    expect(await listed('Namespace')).toContain('trials')
    expect(await listed('ConfigMap')).not.toContain('notes')
  })

  it('a named run that does not stand on it is refused', async () => {
    const made = await apply(space)
    await expect(opened.gyrarch.changes.takeBack(made, undefined, ['c-999'])).rejects.toMatchObject(
      { code: 'invalid', fields: [{ path: 'with' }] },
    )
  })
})

describe('a change that has ended well', () => {
  it('is taken back while its undo makes sense', async () => {
    const { gyrarch } = opened
    const on = async () =>
      (await gyrarch.fleet.view()).sites
        .find((site) => site.name === 'palisade-east')
        ?.firewall?.find((rule) => rule.name === 'uplink-closed')?.enabled
    const enabled = await run('wire.firewall', { site: 'palisade-east', enable: ['uplink-closed'] })
    expect(await on()).not.toBe(false)
    await gyrarch.changes.takeBack(enabled, 'bramble')
    await settle()
    expect(await states(enabled)).toEqual(['taken-back'])
    expect(await on()).toBe(false)
    await expect(gyrarch.changes.takeBack(enabled)).rejects.toMatchObject({ code: 'conflict' })
  })

  it('is not, once what it made is gone, or where nothing of it can be undone', async () => {
    const { changes } = opened.gyrarch
    const made = await apply(space)
    await run('manifest.remove', {
      cluster: 'dill',
      objects: [{ kind: 'Namespace', name: 'trials' }],
    })
    expect((await changes.wayBack(made)).whyNot).toMatch(/is gone already, by c-/)
    const restarted = await run('machine.restart', { cluster: 'dill', node: 'dill-general-1' })
    await expect(changes.takeBack(restarted)).rejects.toMatchObject({
      message: expect.stringContaining('cannot be undone'),
    })
  })

  it('waits for whoever is at work there', async () => {
    const { changes } = opened.gyrarch
    const resized = await run('pool.resize', { cluster: 'dill', pool: 'general', count: 3 })
    const again = await changes.draft('pool.resize', { cluster: 'dill', pool: 'general', count: 4 })
    await changes.run(again.id, { accept: again.findings.map((finding) => finding.key) })
    const way = await changes.wayBack(resized)
    expect(way.later.map(({ id }) => id)).toEqual([again.id])
    expect(clusterOf(await opened.gyrarch.fleet.view(), 'dill')).toBeDefined()
    await changes.takeBack(resized, undefined, [again.id])
    await settle()
    expect(await states(resized, again.id)).toEqual(['taken-back', 'taken-back'])
  })
})
