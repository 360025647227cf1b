/**
 * Forms that make something: checked by the schema of what they make, field by field, before anything is sent. Fields
 * are named by their path in it, as in `pool.size` or `rules[0].port`.
 */
import { zodResolver } from '@hookform/resolvers/zod'
import { type ReactNode, useMemo } from 'react'
import {
  Controller,
  type ControllerRenderProps,
  type DefaultValues,
  type FieldErrors,
  type FieldPath,
  type FieldValues,
  FormProvider,
  useForm,
  useFormContext,
  type UseFormReturn,
} from 'react-hook-form'
import type { z } from 'zod'
import { Choice, type ChoiceProps } from './choice'
import { Field, type FieldProps } from './field'
import { Day } from './day'
import type { PickerProps } from './picker-parts'
import { SeveralField } from './several-field'
import { NumberField, type NumberFieldProps } from './number-field'
import { Tick } from './tick'
import { Toggle } from './toggles'

/** What a server says against a field. */
interface RefusedField {
  readonly path: string
  readonly says: string
}

/**
 * A form over what a schema reads. Errors show once a field has been left, and go as soon as they are mended; what the
 * server refused stands at its field until that is typed anew.
 */
export function useSchemaForm<Values extends FieldValues>(
  schema: z.ZodType<Values, Values>,
  defaultValues: DefaultValues<Values>,
  refused?: readonly RefusedField[],
): UseFormReturn<Values, unknown, Values> {
  // The form takes them up whenever they are another object.
  const errors = useMemo(
    () =>
      refused &&
      (Object.fromEntries(
        refused.map(({ path, says }) => [path, { type: 'server', message: says }]),
      ) as FieldErrors<Values>),
    [refused],
  )
  return useForm<Values, unknown, Values>({
    resolver: zodResolver(schema),
    defaultValues,
    mode: 'onTouched',
    ...(errors ? { errors } : {}),
  })
}

export function SchemaForm<Values extends FieldValues>({
  label,
  className = 'making',
  form,
  onSubmit,
  children,
}: {
  readonly label: string
  readonly className?: string
  readonly form: UseFormReturn<Values, unknown, Values>
  readonly onSubmit: (values: Values) => void | Promise<void>
  readonly children: ReactNode
}) {
  return (
    <FormProvider {...form}>
      <form
        aria-label={label}
        className={className}
        noValidate
        onSubmit={(event) => void form.handleSubmit((values) => onSubmit(values))(event)}
      >
        {children}
      </form>
    </FormProvider>
  )
}

interface Bound {
  readonly error: string | null
  readonly field: ControllerRenderProps
}

/** What stands at a path of the form around, with what is wrong with it. */
function At({
  path,
  children,
}: {
  readonly path: string
  readonly children: (bound: Bound) => ReactNode
}) {
  const { control } = useFormContext()
  return (
    <Controller
      control={control}
      name={path as FieldPath<FieldValues>}
      render={({ field, fieldState }) => (
        <>{children({ field, error: fieldState.error?.message ?? null })}</>
      )}
    />
  )
}

type AtPath<Props> = Omit<Props, 'name' | 'value' | 'defaultValue' | 'onChange' | 'error'> & {
  readonly path: string
}

export const TextAt = ({ path, ...props }: AtPath<FieldProps>) => (
  <At path={path}>
    {({ field, error }) => (
      <Field
        {...props}
        name={field.name}
        value={(field.value as string | undefined) ?? ''}
        onChange={field.onChange}
        onBlur={field.onBlur}
        inputRef={field.ref}
        error={error}
      />
    )}
  </At>
)

/** Texts parted by spaces, commas or lines. */
export const TextsAt = ({ path, ...props }: AtPath<FieldProps>) => (
  <At path={path}>
    {({ field, error }) => (
      <Field
        {...props}
        name={field.name}
        defaultValue={((field.value as readonly string[] | undefined) ?? []).join(' ')}
        onChange={(text) => field.onChange(text.split(/[\s,]+/).filter((word) => word !== ''))}
        onBlur={field.onBlur}
        inputRef={field.ref}
        error={error}
      />
    )}
  </At>
)

export const NumberAt = ({ path, ...props }: AtPath<NumberFieldProps>) => (
  <At path={path}>
    {({ field, error }) => (
      <NumberField
        {...props}
        name={field.name}
        value={(field.value as number | null) ?? undefined}
        // What is left empty is empty: without a value the form would fall back to where it began.
        onChange={(value) => field.onChange(value ?? null)}
        onBlur={field.onBlur}
        inputRef={field.ref}
        error={error}
      />
    )}
  </At>
)

export const ChoiceAt = ({ path, ...props }: AtPath<ChoiceProps>) => (
  <At path={path}>
    {({ field, error }) => (
      <Choice
        {...props}
        name={field.name}
        value={(field.value as string | undefined) ?? ''}
        onChange={field.onChange}
        onBlur={field.onBlur}
        error={error}
      />
    )}
  </At>
)

/** A day as `yyyy-MM-dd`, in UTC. */
export const DayAt = ({ path, ...props }: AtPath<PickerProps>) => (
  <At path={path}>
    {({ field, error }) => (
      <Day
        {...props}
        value={(field.value as string | undefined) ?? ''}
        onChange={field.onChange}
        error={error}
      />
    )}
  </At>
)

/** One of a few that are all seen. */
export const ToggleAt = ({
  path,
  ...props
}: {
  readonly path: string
  readonly label: string
  readonly options: readonly string[]
}) => (
  <At path={path}>
    {({ field }) => (
      <Toggle
        {...props}
        value={(field.value as string | undefined) ?? ''}
        onChange={field.onChange}
      />
    )}
  </At>
)

/** Several of the things offered. */
export const SeveralAt = ({
  path,
  options,
  ...props
}: {
  readonly path: string
  readonly options: readonly string[]
} & Pick<FieldProps, 'label' | 'help' | 'width'>) => (
  <At path={path}>
    {({ field, error }) => (
      <SeveralField
        {...props}
        options={options}
        value={(field.value as readonly string[] | undefined) ?? []}
        onChange={field.onChange}
        error={error}
      />
    )}
  </At>
)

export const TickAt = ({
  path,
  label,
  says,
}: {
  readonly path: string
  readonly label: ReactNode
  readonly says?: string
}) => (
  <At path={path}>
    {({ field }) => (
      <Tick
        label={label}
        {...(says === undefined ? {} : { says })}
        checked={field.value === true}
        onChange={field.onChange}
      />
    )}
  </At>
)
