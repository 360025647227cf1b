/** When machines of a cluster are restarted and replaced by themselves. */
import { z } from 'zod'
import { usualHealth } from '~/core/keeping'
import { countText } from '~/core/units'
import { ClusterRow } from '../records/models'
import type { Gyrarch } from '../gyrarch'

export const healthBody = z.strictObject({
  enabled: z.boolean().default(true),
  afterSeconds: z.number().min(30).max(86400).default(usualHealth.afterSeconds),
  mostShare: z.number().min(0.01).max(1).default(usualHealth.mostShare),
  mostReplacedPerDay: z.number().int().min(0).max(1000).default(usualHealth.mostReplacedPerDay),
  replaceGuarded: z.boolean().default(usualHealth.replaceGuarded),
})
export async function setHealth(
  gyrarch: Gyrarch,
  name: string,
  policy: z.infer<typeof healthBody>,
) {
  await gyrarch.cluster(name)
  await gyrarch.database.write((transaction) =>
    ClusterRow.update({ health: policy }, { where: { name }, transaction }),
  )
  await gyrarch.journalLine({
    kind: 'health.set',
    about: `cluster/${name}`,
    says: `health keeping of ${name}: ${policy.enabled ? `after ${policy.afterSeconds} s, at most ${Math.round(policy.mostShare * 100)} % at once and ${countText(policy.mostReplacedPerDay, 'machine')} replaced in a day${policy.replaceGuarded ? ', although it is guarded' : ''}` : 'off'}`,
    params: { cluster: name, ...policy },
  })
  gyrarch.health.lookSoon()
  return policy
}
