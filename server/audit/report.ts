/** What an audit of files says, for people, for programs, and as SARIF 2.1.0 for code hosts. Source: OASIS SARIF 2.1.0. */
import { auditManifests, isLayered, layeredAudit, type RemovalAudit } from '~/core/manifests'
import { countText } from '~/core/units'

export interface AuditedFile {
  readonly file: string
  readonly audit: RemovalAudit
}

export const reportFormats = ['text', 'json', 'sarif'] as const
export type ReportFormat = (typeof reportFormats)[number]

/** A file of manifests, or a layered one: that is judged as what it becomes in each of its environments. */
export const auditedFile = (file: string, text: string, target: string): AuditedFile => ({
  file,
  audit: isLayered(text) ? auditedLayers(text, target) : auditManifests(text, target),
})

function auditedLayers(text: string, target: string): RemovalAudit {
  const read = layeredAudit(text, target)
  if (!read.ok)
    return { objects: 0, found: [], unreadable: [{ document: 0, line: 1, says: read.says }] }
  const { objects, unrendered } = read.audit
  return {
    objects,
    found: read.audit.found.map((going) => ({ ...going, document: 0 })),
    unreadable: unrendered.map(({ environment, line, says }) => ({
      document: 0,
      line,
      says: `${environment}: ${says}`,
    })),
  }
}

type Going = RemovalAudit['found'][number]

const nameOf = ({ kind, namespace, name }: Going): string =>
  `${kind} ${namespace === null ? '' : `${namespace}/`}${name ?? 'without a name'}`

function messageOf(going: Going): string {
  const { apiVersion, removedIn, gone, successor } = going
  const when = gone ? `is not served since ${removedIn}` : `is served until ${removedIn}`
  const instead = successor === null ? 'nothing takes its place' : `use ${successor}`
  return `${nameOf(going)}: ${apiVersion} ${when}; ${instead}.`
}

function asText(files: readonly AuditedFile[], target: string): string {
  const lines = files.flatMap(({ file, audit }) => [
    ...audit.found.map((going) => `${file}:${going.line}: ${messageOf(going)}`),
    ...audit.unreadable.map(({ line, says }) => `${file}:${line}: not read: ${says}`),
  ])
  const objects = files.reduce((sum, { audit }) => sum + audit.objects, 0)
  const gone = files.flatMap(({ audit }) => audit.found).filter((going) => going.gone).length
  return [...lines, `${countText(objects, 'object')} read, ${gone} gone at ${target}.`, ''].join(
    '\n',
  )
}

const ruleOf = ({ apiVersion, kind }: Going): string => `${apiVersion}/${kind}`

const place = (file: string, line: number) => ({
  physicalLocation: {
    artifactLocation: { uri: file.split('/').map(encodeURIComponent).join('/') },
    region: { startLine: line },
  },
})

function asSarif(files: readonly AuditedFile[]): unknown {
  const rules = new Map<string, Going>()
  for (const { audit } of files) for (const going of audit.found) rules.set(ruleOf(going), going)
  return {
    $schema: 'https://json.schemastore.org/sarif-2.1.0.json',
    version: '2.1.0',
    runs: [
      {
        tool: {
          driver: {
            name: 'Gyrarch removal audit',
            rules: [
              ...[...rules].map(([id, { apiVersion, kind, removedIn }]) => ({
                id,
                shortDescription: {
                  text: `${kind} of ${apiVersion} is not served from ${removedIn} on`,
                },
              })),
              { id: 'unreadable', shortDescription: { text: 'A document cannot be read' } },
            ],
          },
        },
        results: files.flatMap(({ file, audit }) => [
          ...audit.found.map((going) => ({
            ruleId: ruleOf(going),
            level: going.gone ? 'error' : 'warning',
            message: { text: messageOf(going) },
            locations: [place(file, going.line)],
          })),
          ...audit.unreadable.map(({ line, says }) => ({
            ruleId: 'unreadable',
            level: 'note',
            message: { text: says },
            locations: [place(file, line)],
          })),
        ]),
      },
    ],
  }
}

export function report(
  files: readonly AuditedFile[],
  target: string,
  format: ReportFormat,
): string {
  if (format === 'text') return asText(files, target)
  const value =
    format === 'sarif'
      ? asSarif(files)
      : { target, files: files.map(({ file, audit }) => ({ file, ...audit })) }
  return `${JSON.stringify(value, null, 2)}\n`
}

/** 1 where something is gone at the target, else 0. */
export const exitCode = (files: readonly AuditedFile[]): 0 | 1 =>
  files.some(({ audit }) => audit.found.some(({ gone }) => gone)) ? 1 : 0
