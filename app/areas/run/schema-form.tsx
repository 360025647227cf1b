/** A form made from the schema of an intent: for every kind of change that has no sheet of its own. */
import Button from '@mui/material/Button'
import type { Finding } from '~/core/changes'
import { Choice } from '../../kit/choice'
import { Field } from '../../kit/field'
import { LabelsField } from '../../kit/labels-field'
import { NumberField } from '../../kit/number-field'
import { SeveralField } from '../../kit/several-field'
import { Tick } from '../../kit/tick'
import { WordsField } from '../../kit/words-field'

interface Schema {
  readonly type?: string | readonly string[]
  readonly properties?: Readonly<Record<string, Schema>>
  readonly required?: readonly string[]
  readonly items?: Schema
  readonly additionalProperties?: Schema | boolean
  readonly enum?: readonly unknown[]
  readonly anyOf?: readonly Schema[]
  readonly default?: unknown
  readonly minimum?: number
  readonly maximum?: number
}

export interface SchemaFormProps {
  readonly schema: unknown
  readonly value: unknown
  readonly findings: readonly Finding[]
  /** Values that are worth offering, by field name. */
  readonly choices: Readonly<Record<string, readonly string[]>>
  readonly onChange: (value: unknown) => void
}

const shouted: Readonly<Record<string, string>> = {
  vlan: 'VLAN',
  dhcp: 'DHCP range',
  mtu: 'MTU',
  mac: 'hardware address',
  ttl: 'time to live',
  memoryGiB: 'memory, GiB',
  diskGb: 'disk, GB',
  sizeGb: 'size, GB',
}

/** `addHosts` → “add hosts”. */
const says = (key: string): string =>
  shouted[key] ??
  key
    .replace(/([a-z])([A-Z])/g, (_, a: string, b: string) => `${a} ${b.toLowerCase()}`)
    .replace(/GiB$/i, 'GiB')
    .replace(/Gb$/, 'GB')

/** What a nullable union really is. */
const plain = (schema: Schema): Schema =>
  schema.anyOf?.find((candidate) => candidate.type !== 'null') ?? schema

function emptyOf(schema: Schema): unknown {
  const real = plain(schema)
  if (real.default !== undefined) return real.default
  if (schema.anyOf?.some((candidate) => candidate.type === 'null')) return null
  if (real.enum) return real.enum[0]
  switch (real.type) {
    case 'object':
      return Object.fromEntries(
        (real.required ?? []).map((key) => [key, emptyOf(real.properties?.[key] ?? {})]),
      )
    case 'array':
      return []
    case 'boolean':
      return false
    case 'integer':
    case 'number':
      return Math.max(0, real.minimum !== undefined && real.minimum > -1e9 ? real.minimum : 0)
    default:
      return ''
  }
}

interface PartProps {
  readonly path: string
  readonly name: string
  /** What the schema really asks for, without the null of a nullable one. */
  readonly real: Schema
  readonly value: unknown
  readonly required: boolean
  readonly form: SchemaFormProps
  readonly onChange: (value: unknown) => void
}

const saysAt = (form: SchemaFormProps, level: Finding['level'], path: string): string | null =>
  form.findings.find((finding) => finding.field === path && finding.level === level)?.says ?? null

const stopAt = (form: SchemaFormProps, path: string): string | null => saysAt(form, 'stop', path)

/** What stands against a list as a whole, or against the first of its items that something stands against. */
const stopWithin = (form: SchemaFormProps, path: string): string | null =>
  stopAt(form, path) ??
  form.findings.find(
    ({ field, level }) => level === 'stop' && field?.startsWith(`${path}[`) === true,
  )?.says ??
  null

const isNumeric = (schema: Schema): boolean => schema.type === 'integer' || schema.type === 'number'

const textOf = (value: unknown): string =>
  typeof value === 'string' || typeof value === 'number' ? String(value) : ''

/** What stands in a field that may be left out. */
const leftOut = 'as it is'

function ChoicePart({ path, name, real, value, required, form, onChange }: PartProps) {
  return (
    <Choice
      label={says(name)}
      value={textOf(value)}
      options={(real.enum ?? form.choices[name] ?? []).map(String)}
      empty={required ? undefined : leftOut}
      error={stopAt(form, path)}
      onChange={(text) => onChange(text === '' ? undefined : text)}
      width={210}
    />
  )
}

function NumberPart({ path, name, real, value, required, form, onChange }: PartProps) {
  const fallback = required ? 0 : undefined
  const whole = real.type === 'integer'
  return (
    <NumberField
      label={says(name)}
      value={typeof value === 'number' ? value : undefined}
      {...(whole ? {} : { step: 'any' as const })}
      error={stopAt(form, path)}
      onChange={(next) => {
        if (next === undefined) onChange(fallback)
        else onChange(whole ? Math.trunc(next) : next)
      }}
      width={130}
    />
  )
}

function WordsPart({ path, name, real, value, form, onChange }: PartProps) {
  const words = Array.isArray(value) ? (value as unknown[]).map(String) : []
  const numbers = isNumeric(plain(real.items ?? {}))
  return (
    <WordsField
      label={says(name)}
      mono
      value={words}
      help="several, parted by spaces"
      error={stopWithin(form, path)}
      onChange={(next) => onChange(numbers ? next.map(Number) : next)}
      width={320}
    />
  )
}

/** Several of the things that there are; while none is chosen, what happens without a choice is told. */
function SeveralPart({ path, name, value, form, onChange }: PartProps) {
  const chosen = Array.isArray(value) ? (value as unknown[]).map(String) : []
  return (
    <SeveralField
      label={says(name)}
      mono
      value={chosen}
      options={form.choices[name] ?? []}
      placeholder="none named"
      help={chosen.length === 0 ? (saysAt(form, 'note', path) ?? undefined) : undefined}
      error={stopWithin(form, path)}
      onChange={onChange}
      width={360}
    />
  )
}

const shownAtOnce = 30

/** A list of things that have fields of their own. */
function ListPart({ path, name, real, value, form, onChange }: PartProps) {
  const items = Array.isArray(value) ? (value as unknown[]) : []
  const stop = stopAt(form, path)
  const inner = real.items ?? {}
  return (
    <fieldset className="schema-list">
      <legend>
        {says(name)} <span className="soft">{items.length === 0 ? 'none' : items.length}</span>
      </legend>
      {items.slice(0, shownAtOnce).map((item, i) => (
        <div key={i} className="fields schema-item">
          <Parts
            path={`${path}[${i}]`}
            schema={inner}
            value={item}
            form={form}
            onChange={(next) => onChange(items.map((was, at) => (at === i ? next : was)))}
          />
          <Button
            variant="text"
            onClick={() => onChange(items.filter((_, at) => at !== i))}
            aria-label={`Remove ${says(name)} ${i + 1}`}
          >
            Remove
          </Button>
        </div>
      ))}
      {items.length > shownAtOnce ? (
        <p className="soft">and {items.length - shownAtOnce} more</p>
      ) : null}
      <Button variant="outlined" onClick={() => onChange([...items, emptyOf(inner)])}>
        Add one
      </Button>
      {stop === null ? null : <p className="field-stop">{stop}</p>}
    </fieldset>
  )
}

/** Fields that belong together, and may be left out together. */
function GroupPart({ path, name, real, value, required, form, onChange }: PartProps) {
  if (value === undefined && !required) {
    return (
      <Button variant="text" onClick={() => onChange(emptyOf(real))}>
        Set {says(name)}
      </Button>
    )
  }
  return (
    <fieldset className="schema-list">
      <legend>{says(name)}</legend>
      <div className="fields">
        <Parts path={path} schema={real} value={value} form={form} onChange={onChange} />
        {required ? null : (
          <Button variant="text" onClick={() => onChange(undefined)}>
            Leave as it is
          </Button>
        )}
      </div>
    </fieldset>
  )
}

/** Whether it is names of one’s own with a text each, like labels. */
function isLabels({ type, properties, additionalProperties }: Schema): boolean {
  if (type !== 'object' || properties !== undefined) return false
  if (typeof additionalProperties !== 'object') return false
  const inner = plain(additionalProperties)
  return inner.type === 'string' && inner.enum === undefined
}

function LabelsPart({ path, name, value, form, onChange }: PartProps) {
  const given = typeof value === 'object' && value !== null ? Object.entries(value) : []
  return (
    <LabelsField
      label={says(name)}
      value={Object.fromEntries(given.map(([key, text]) => [key, textOf(text)]))}
      help="like team=orchids, several parted by spaces"
      error={stopAt(form, path)}
      onChange={onChange}
      width={320}
    />
  )
}

function TextPart({ path, name, value, required, form, onChange }: PartProps) {
  const text = textOf(value)
  return (
    <Field
      label={says(name)}
      mono
      value={text}
      placeholder={required ? '' : leftOut}
      {...(text.includes('\n') || text.length > 80 ? { rows: 6, width: '100%' } : { width: 230 })}
      error={stopAt(form, path)}
      onChange={(next) => onChange(next === '' && !required ? undefined : next)}
    />
  )
}

/** The part of the form for one property of the schema. */
function Part(props: PartProps) {
  const { name, real, form, value, onChange } = props
  if (real.type === 'boolean')
    return <Tick label={says(name)} checked={value === true} onChange={onChange} />
  if (real.type === 'array' && form.choices[name]) return <SeveralPart {...props} />
  if (real.enum || form.choices[name]) return <ChoicePart {...props} />
  if (isNumeric(real)) return <NumberPart {...props} />
  if (real.type === 'array')
    return plain(real.items ?? {}).type === 'object' ? (
      <ListPart {...props} />
    ) : (
      <WordsPart {...props} />
    )
  if (isLabels(real)) return <LabelsPart {...props} />
  if (real.type === 'object') return <GroupPart {...props} />
  return <TextPart {...props} />
}

function Parts({
  path,
  schema,
  value,
  form,
  onChange,
}: {
  readonly path: string
  readonly schema: Schema
  readonly value: unknown
  readonly form: SchemaFormProps
  readonly onChange: (value: unknown) => void
}) {
  const record = (typeof value === 'object' && value !== null ? value : {}) as Record<
    string,
    unknown
  >
  const { properties = {}, required = [] } = plain(schema)
  return (
    <>
      {Object.entries(properties).map(([key, inner]) => (
        <Part
          key={key}
          path={path === '' ? key : `${path}.${key}`}
          name={key}
          real={plain(inner)}
          value={record[key]}
          required={required.includes(key)}
          form={form}
          onChange={(next) => {
            const { [key]: _was, ...rest } = record
            onChange(next === undefined ? rest : { ...record, [key]: next })
          }}
        />
      ))}
    </>
  )
}

export function SchemaForm(props: SchemaFormProps) {
  return (
    <div className="fields">
      <Parts
        path=""
        schema={props.schema as Schema}
        value={props.value}
        form={props}
        onChange={props.onChange}
      />
    </div>
  )
}
