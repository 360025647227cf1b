/** Templates: drafts kept with fields left open, and drafts made from them. */
import type { Params } from '~/core/contract'
import { patchDraft } from '~/core/changes'
import { freeRangesAt } from '~/core/fleet'
import { kindNamed } from '~/core/kinds'
import { expectsOf } from '~/core/provisioning'
import type { ChangeRecord, Changes } from '../changes/changes'
import { Refusal, refuseIssues } from '../changes/errors'
import type { Fleet } from '../fleet/fleet'
import type { Database } from '../records/database'
import { TemplateRow } from '../records/models'

export interface Template {
  readonly name: string
  readonly says: string
  readonly kind: string
  readonly intent: unknown
  /** JSON pointers of the fields left open. */
  readonly open: readonly string[]
  /** Whether it came with the demo. */
  readonly shipped: boolean
}

const asTemplate = (row: TemplateRow): Template => ({
  name: row.name,
  says: row.says,
  kind: row.kind,
  intent: row.intent,
  open: row.open,
  shipped: row.shipped,
})

/** The value at a JSON pointer; undefined where there is none. */
export function valueAt(document: unknown, pointer: string): unknown {
  return pointer
    .split('/')
    .slice(1)
    .map((part) => part.replace(/~1/g, '/').replace(/~0/g, '~'))
    .reduce<unknown>(
      (at, part) =>
        typeof at === 'object' && at !== null ? (at as Record<string, unknown>)[part] : undefined,
      document,
    )
}

export class Templates {
  constructor(
    private readonly database: Database,
    private readonly changes: Changes,
    private readonly fleet: Fleet,
    private readonly journal: (says: string, params: Params) => Promise<void>,
  ) {}

  async list(): Promise<readonly Template[]> {
    return (await TemplateRow.findAll({ order: [['name', 'ASC']] })).map(asTemplate)
  }

  async get(name: string): Promise<Template> {
    const row = await TemplateRow.findByPk(name)
    if (!row) throw new Refusal('not-found', `There is no template ${name.slice(0, 80)}.`)
    return asTemplate(row)
  }

  async keep(given: Omit<Template, 'shipped'>, shipped = false): Promise<Template> {
    const request = { ...given, intent: await this.withWalks(given) }
    if (!/^[a-z0-9]([-a-z0-9]{0,61}[a-z0-9])?$/.test(request.name))
      throw new Refusal(
        'invalid',
        `“${request.name.slice(0, 80)}” is no template name: a–z, 0–9 and inner dashes, at most 63.`,
        [{ path: 'name', says: 'is no name' }],
      )
    const kind = kindNamed(request.kind)
    if (!kind)
      throw new Refusal('invalid', `There is no change kind ${request.kind.slice(0, 80)}.`, [
        { path: 'kind', says: 'unknown kind' },
      ])
    const read = kind.read(request.intent)
    if (!read.ok) throw refuseIssues(read.issues, ['intent'])
    const lost = request.open.find(
      (pointer) => !pointer.startsWith('/') || valueAt(request.intent, pointer) === undefined,
    )
    if (lost !== undefined)
      throw new Refusal('invalid', `The draft has no field ${lost} that could be left open.`, [
        { path: 'open', says: `${lost} is not in the draft` },
      ])
    if (await TemplateRow.findByPk(request.name))
      throw new Refusal('conflict', `There is a template ${request.name} already.`, [
        { path: 'name', says: 'is taken' },
      ])
    await this.database.write((transaction) =>
      TemplateRow.create(
        {
          name: request.name,
          says: request.says,
          kind: request.kind,
          intent: request.intent,
          open: [...request.open],
          shipped,
        },
        { transaction },
      ),
    )
    if (!shipped)
      await this.journal(`template ${request.name} kept`, { name: request.name, is: 'kept' })
    return this.get(request.name)
  }

  /** What is expected of the cluster that a draft has raised travels with the template, if the draft brings no walks itself. */
  private async withWalks({ kind, intent }: Omit<Template, 'shipped'>): Promise<unknown> {
    if (kind !== 'cluster.raise' || typeof intent !== 'object' || intent === null) return intent
    const { name, expects } = intent as { readonly name?: unknown; readonly expects?: unknown }
    if (expects !== undefined || typeof name !== 'string' || name === '') return intent
    const walks = expectsOf(name, (await this.fleet.view()).expectations ?? [])
    return walks.length === 0 ? intent : { ...intent, expects: walks }
  }

  async remove(name: string): Promise<void> {
    const template = await this.get(name)
    await this.database.write((transaction) =>
      TemplateRow.destroy({ where: { name: template.name }, transaction }),
    )
    await this.journal(`template ${name} removed`, { name, is: 'removed' })
  }

  /** A draft made from a template: open fields take the values given; ranges left open take the next free ones. */
  async draft(name: string, values: Readonly<Record<string, unknown>>): Promise<ChangeRecord> {
    const template = await this.get(name)
    const otherName = Object.keys(values).find((pointer) => !template.open.includes(pointer))
    if (otherName !== undefined)
      throw new Refusal(
        'invalid',
        `${otherName} is not left open by ${name}. Open: ${template.open.join(', ')}.`,
        [{ path: `values.${otherName}`, says: 'is not left open' }],
      )
    const site = (template.intent as { site?: unknown }).site
    const free =
      template.open.some((pointer) => pointer.startsWith('/ranges/')) && typeof site === 'string'
        ? freeRangesAt(await this.fleet.view(), site)
        : null
    // What is left open and not said is empty, whatever the draft it was kept from said there.
    const blank = Object.fromEntries(
      template.open.flatMap((pointer) =>
        typeof valueAt(template.intent, pointer) === 'string' ? [[pointer, ''] as const] : [],
      ),
    )
    const filled: Record<string, unknown> = {
      ...blank,
      ...(free && template.open.includes('/ranges/pods') ? { '/ranges/pods': free.pods } : {}),
      ...(free && template.open.includes('/ranges/services')
        ? { '/ranges/services': free.services }
        : {}),
      ...values,
    }
    const intent = patchDraft(
      template.intent,
      Object.entries(filled).map(([path, value]) => ({ op: 'replace', path, value })),
    )
    if (intent === null)
      throw new Refusal('invalid', 'The values do not fit the template.', [
        { path: 'values', says: 'do not fit' },
      ])
    return this.changes.draft(template.kind, intent)
  }
}
