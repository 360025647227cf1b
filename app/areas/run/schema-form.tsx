/** A form made from the schema of an intent: for every kind of change that has no sheet of its own. */
import Button from '@mui/material/Button'
import Checkbox from '@mui/material/Checkbox'
import FormControlLabel from '@mui/material/FormControlLabel'
import MenuItem from '@mui/material/MenuItem'
import TextField from '@mui/material/TextField'
import type { Finding } from '~/core/changes'

interface Schema {
  readonly type?: string | readonly string[]
  readonly properties?: Readonly<Record<string, Schema>>
  readonly required?: readonly string[]
  readonly items?: Schema
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

const slots = {
  inputLabel: { shrink: true },
  input: { sx: { fontFamily: 'var(--mono)', fontSize: 12, fontStretch: '75%' } },
}

function Field({
  path,
  name,
  schema,
  value,
  required,
  props,
  onChange,
}: {
  readonly path: string
  readonly name: string
  readonly schema: Schema
  readonly value: unknown
  readonly required: boolean
  readonly props: SchemaFormProps
  readonly onChange: (value: unknown) => void
}) {
  const real = plain(schema)
  const finding = props.findings.find(
    (finding) => finding.field === path && finding.level === 'stop',
  )
  const common = {
    label: says(name),
    error: finding !== undefined,
    helperText: finding?.says,
    slotProps: slots,
    autoComplete: 'off' as const,
  }
  if (real.type === 'boolean')
    return (
      <FormControlLabel
        control={
          <Checkbox checked={value === true} onChange={(event) => onChange(event.target.checked)} />
        }
        label={says(name)}
      />
    )
  if (real.enum || props.choices[name]) {
    const options = (real.enum ?? props.choices[name] ?? []).map(String)
    const text = typeof value === 'string' || typeof value === 'number' ? String(value) : ''
    const all = text === '' || options.includes(text) ? options : [text, ...options]
    return (
      <TextField
        select
        {...common}
        value={text}
        onChange={(event) => onChange(event.target.value === '' ? undefined : event.target.value)}
        sx={{ width: 210 }}
        slotProps={{ ...slots, select: { displayEmpty: true } }}
      >
        {required ? null : <MenuItem value="">as it is</MenuItem>}
        {all.map((entry) => (
          <MenuItem key={entry} value={entry}>
            {entry}
          </MenuItem>
        ))}
      </TextField>
    )
  }
  if (real.type === 'integer' || real.type === 'number') {
    return (
      <TextField
        {...common}
        type="number"
        value={typeof value === 'number' ? value : ''}
        onChange={(event) =>
          onChange(
            event.target.value === ''
              ? required
                ? 0
                : undefined
              : real.type === 'integer'
                ? Math.trunc(Number(event.target.value))
                : Number(event.target.value),
          )
        }
        sx={{ width: 120 }}
      />
    )
  }
  if (real.type === 'array' && plain(real.items ?? {}).type === 'object') {
    const list = Array.isArray(value) ? (value as unknown[]) : []
    const shown = list.slice(0, 30)
    return (
      <fieldset className="schema-list">
        <legend>
          {says(name)} <span className="soft">{list.length}</span>
        </legend>
        {shown.map((item, i) => (
          <div key={i} className="fields schema-item">
            <Fields
              path={`${path}[${i}]`}
              schema={real.items ?? {}}
              value={item}
              props={props}
              onChange={(next) =>
                onChange(list.map((candidate, at) => (at === i ? next : candidate)))
              }
            />
            <Button
              variant="text"
              onClick={() => onChange(list.filter((_, at) => at !== i))}
              aria-label={`Remove ${says(name)} ${i + 1}`}
            >
              Remove
            </Button>
          </div>
        ))}
        {list.length > shown.length ? (
          <p className="soft">and {list.length - shown.length} more</p>
        ) : null}
        <Button variant="outlined" onClick={() => onChange([...list, emptyOf(real.items ?? {})])}>
          Add one
        </Button>
        {finding ? <p className="field-stop">{finding.says}</p> : null}
      </fieldset>
    )
  }
  if (real.type === 'array') {
    const list = Array.isArray(value) ? (value as unknown[]).map(String) : []
    const numbers =
      plain(real.items ?? {}).type === 'integer' || plain(real.items ?? {}).type === 'number'
    return (
      <TextField
        key={list.join(',')}
        {...common}
        defaultValue={list.join(', ')}
        helperText={finding?.says ?? 'separated by commas'}
        onBlur={(event) => {
          const items = event.target.value.split(/\s*,\s*/).filter((item) => item !== '')
          onChange(numbers ? items.map(Number) : items)
        }}
        sx={{ width: 320 }}
      />
    )
  }
  if (real.type === 'object') {
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
          <Fields path={path} schema={real} value={value} props={props} onChange={onChange} />
          {required ? null : (
            <Button variant="text" onClick={() => onChange(undefined)}>
              Leave as it is
            </Button>
          )}
        </div>
      </fieldset>
    )
  }
  return (
    <TextField
      {...common}
      value={typeof value === 'string' ? value : ''}
      placeholder={required ? '' : 'as it is'}
      onChange={(event) =>
        onChange(event.target.value === '' && !required ? undefined : event.target.value)
      }
      sx={{ width: 230 }}
    />
  )
}

function Fields({
  path,
  schema,
  value,
  props,
  onChange,
}: {
  readonly path: string
  readonly schema: Schema
  readonly value: unknown
  readonly props: SchemaFormProps
  readonly onChange: (value: unknown) => void
}) {
  const record = (typeof value === 'object' && value !== null ? value : {}) as Record<
    string,
    unknown
  >
  return (
    <>
      {Object.entries(plain(schema).properties ?? {}).map(([key, inner]) => (
        <Field
          key={key}
          path={path === '' ? key : `${path}.${key}`}
          name={key}
          schema={inner}
          value={record[key]}
          required={(plain(schema).required ?? []).includes(key)}
          props={props}
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
      <Fields
        path=""
        schema={props.schema as Schema}
        value={props.value}
        props={props}
        onChange={props.onChange}
      />
    </div>
  )
}
