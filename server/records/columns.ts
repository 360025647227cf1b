/** Columns of the records. */
import { DataTypes, type Sequelize } from 'sequelize'

const { INTEGER, JSON: Json, STRING } = DataTypes

// The library writes into the definitions it is given, so each column gets one of its own.
export const text = () => ({ type: STRING, allowNull: false })
export const optionalText = () => ({ type: STRING, allowNull: true })
export const json = () => ({ type: Json, allowNull: false })
export const optionalJson = () => ({ type: Json, allowNull: true })
export const whole = () => ({ type: INTEGER, allowNull: false })
export const optionalWhole = () => ({ type: INTEGER, allowNull: true })

/** What every record is defined with. */
export interface Common {
  readonly sequelize: Sequelize
  readonly timestamps: false
}
