/** Every table of Gyrarch’s own records. */
import type { Sequelize } from 'sequelize'
import { defineCases } from '../mend/case-row'
import { defineDrills } from '../mend/drill-row'
import { defineOutgoing } from '../mend/outgoing/rows'
import { defineReach } from '../connectors/open-api/rows'
import { defineRehearsals } from '../rehearsal/rehearsal-row'
import { defineRecords } from './define'

export function defineAll(sequelize: Sequelize): void {
  defineRecords(sequelize)
  defineRehearsals(sequelize)
  defineCases(sequelize)
  defineDrills(sequelize)
  defineOutgoing(sequelize)
  defineReach(sequelize)
}
