/** The options of a command, or its usage. */
import { parseArgs } from 'node:util'

export function fail(says) {
  console.error(says)
  process.exit(1)
}

/** `needed` (its name, and what is asked where it is absent) and the folder of the data. */
export function optionsOf(usage, needed, question) {
  let values
  try {
    ;({ values } = parseArgs({
      options: {
        [needed]: { type: 'string' },
        data: { type: 'string', default: 'data' },
        help: { type: 'boolean', default: false },
      },
    }))
  } catch (error) {
    fail(`${error.message}\n\n${usage}`)
  }
  if (values.help) {
    console.log(usage)
    process.exit(0)
  }
  if (values[needed] === undefined) fail(`${question}\n\n${usage}`)
  return values
}
