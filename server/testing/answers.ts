/** Holds answers of the API against the description that it publishes. */
import Ajv2020, { type ValidateFunction } from 'ajv/dist/2020.js'
import { z } from 'zod'
import { openApi } from '../api/openapi'
import type { AnswerListener } from '../api/router'
import type { Route } from '../api/route'

const described = z.object({
  paths: z.record(
    z.string(),
    z.record(
      z.string(),
      z.looseObject({
        responses: z.record(
          z.string(),
          z.looseObject({
            content: z.record(
              z.string(),
              z.looseObject({ schema: z.record(z.string(), z.unknown()) }),
            ),
          }),
        ),
      }),
    ),
  ),
})

export const operationOf = ({ method, path }: Pick<Route, 'method' | 'path'>): string =>
  `${method} ${path}`

type Described = z.infer<typeof described>

/** What was answered that the description does not allow; and which operations have answered. */
export class AnswerCheck {
  readonly problems: string[] = []
  readonly answered = new Set<string>()
  private readonly ajv = new Ajv2020({ strict: false, allErrors: true })
  private readonly validators = new Map<string, ValidateFunction>()

  private constructor(private readonly described: Described) {}

  static async made(): Promise<AnswerCheck> {
    return new AnswerCheck(described.parse(await openApi()))
  }

  readonly listen: AnswerListener = (route, answer) => {
    const operation = operationOf(route)
    this.answered.add(operation)
    const status = String(answer.status ?? route.status ?? 200)
    const response =
      this.described.paths[route.path.replace(/:(\w+)/g, '{$1}')]?.[route.method]?.responses[status]
    const type = answer.text?.type.split(';')[0]?.trim() ?? 'application/json'
    const content = response?.content[type]
    if (!content) return void this.problems.push(`${operation}: ${status} ${type} is not described`)
    if (type !== 'application/json') return
    const json: unknown = answer.text
      ? JSON.parse((answer.text.body ?? '').toString())
      : JSON.parse(JSON.stringify(answer.json))
    const validate = this.validatorOf(`${operation} ${status}`, content.schema)
    if (!validate(json))
      this.problems.push(
        ...(validate.errors ?? [])
          .slice(0, 5)
          .map(
            (error) =>
              `${operation}${error.instancePath} ${error.message ?? ''} ${JSON.stringify(error.params)}`,
          ),
      )
  }

  private validatorOf(key: string, schema: object): ValidateFunction {
    const made = this.validators.get(key) ?? this.ajv.compile(schema)
    this.validators.set(key, made)
    return made
  }
}
