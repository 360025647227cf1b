/** What runs have carried out: the commands of steps that are done, oldest first. */
import { Op } from 'sequelize'
import type { DoneCommand } from '~/core/wiring'
import { ChangeRow, StepRow } from '../records/models'
import { changeId } from '../runner/journal'

/** Verbs that set something on the ways. */
const verbs = new Set([
  'address.hold',
  'balancer.create',
  'network.set',
  'route.add',
  'records.set',
  'firewall.set',
  'translations.set',
  'keepsource.set',
  'site.add',
  'api.start',
])

/** The newest runs that are looked at. */
const most = 1000

export async function doneCommands(): Promise<readonly DoneCommand[]> {
  const changes = await ChangeRow.findAll({
    where: { state: { [Op.in]: ['done', 'running', 'halted', 'given-up'] } },
    order: [['number', 'DESC']],
    limit: most,
    attributes: ['number', 'label', 'title'],
  })
  const byNumber = new Map(changes.map((change) => [change.number, change]))
  const steps = await StepRow.findAll({
    where: { change: { [Op.in]: [...byNumber.keys()] }, state: 'done' },
    order: [
      ['change', 'ASC'],
      ['position', 'ASC'],
    ],
  })
  return steps.flatMap((step): readonly DoneCommand[] => {
    const change = byNumber.get(step.change)
    return change && verbs.has(step.command.verb)
      ? [
          {
            change: changeId(change.number),
            label: change.label,
            title: change.title,
            verb: step.command.verb,
            args: step.command.args,
          },
        ]
      : []
  })
}
