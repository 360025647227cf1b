/** How changes and what their runs leave are laid out in the database. */
import { DataTypes } from 'sequelize'
import {
  type Common,
  text,
  optionalText,
  json,
  optionalJson,
  whole,
  optionalWhole,
} from './columns'
import {
  ChangeRow,
  EvidenceRow,
  FailureRow,
  JoinRow,
  LockRow,
  ReservationRow,
  StepRow,
} from './models'

const { BOOLEAN, DATE, INTEGER, TEXT, JSON: Json } = DataTypes

/** Changes and their steps. */
export function defineChanges(common: Common): void {
  ChangeRow.init(
    {
      number: { type: INTEGER, primaryKey: true, autoIncrement: true },
      kind: text(),
      label: text(),
      title: optionalText(),
      intent: json(),
      version: whole(),
      state: text(),
      direction: text(),
      site: optionalText(),
      createdAt: { type: DATE, allowNull: false },
      amendedAt: { type: DATE, allowNull: false },
      startedAt: optionalText(),
      endedAt: optionalText(),
      accepted: json(),
      findings: optionalJson(),
      plan: optionalJson(),
      planDigest: optionalText(),
      proof: optionalJson(),
      subjects: optionalJson(),
      waitsFor: optionalText(),
      cause: optionalJson(),
      dueAt: optionalText(),
      window: optionalText(),
      confirmed: optionalJson(),
      returned: optionalJson(),
      parent: optionalWhole(),
      position: optionalWhole(),
      members: optionalWhole(),
      under: optionalWhole(),
    },
    { ...common, tableName: 'changes' },
  )
  StepRow.init(
    {
      change: { ...whole(), primaryKey: true },
      id: { ...text(), primaryKey: true },
      position: whole(),
      group: text(),
      says: text(),
      after: json(),
      command: json(),
      undo: optionalJson(),
      final: { type: BOOLEAN, allowNull: false },
      likely: { type: DataTypes.DOUBLE, allowNull: false },
      worst: { type: DataTypes.DOUBLE, allowNull: false },
      retry: json(),
      state: text(),
      attempts: whole(),
      attemptsBefore: whole(),
      undoAttempts: whole(),
      key: optionalText(),
      undoing: { type: BOOLEAN, allowNull: false },
      startedAt: optionalText(),
      endedAt: optionalText(),
      onTheWall: { type: BOOLEAN, allowNull: false, defaultValue: false },
      dueAt: optionalText(),
      result: optionalJson(),
      cause: optionalJson(),
    },
    { ...common, tableName: 'steps' },
  )
}

/** What runs leave as evidence, and what they hold. */
export function defineRuns(common: Common): void {
  EvidenceRow.init(
    {
      change: { ...whole(), primaryKey: true },
      key: { ...text(), primaryKey: true },
      index: { ...whole(), primaryKey: true },
      step: text(),
      at: text(),
      code: text(),
      params: { type: Json, allowNull: false },
      says: { type: TEXT, allowNull: false },
    },
    { ...common, tableName: 'evidence' },
  )
  FailureRow.init(
    {
      id: { type: INTEGER, primaryKey: true, autoIncrement: true },
      change: whole(),
      step: text(),
      attempt: whole(),
      undoing: { type: BOOLEAN, allowNull: false },
      at: text(),
      group: text(),
      says: text(),
      command: json(),
      cause: json(),
    },
    { ...common, tableName: 'failures' },
  )
  LockRow.init(
    { ref: { ...text(), primaryKey: true }, change: whole() },
    { ...common, tableName: 'locks' },
  )
  ReservationRow.init(
    {
      id: { type: INTEGER, primaryKey: true, autoIncrement: true },
      change: whole(),
      kind: text(),
      site: text(),
      domain: optionalText(),
      zone: optionalText(),
      what: text(),
      cores: { type: INTEGER, allowNull: true },
      memoryBytes: { type: DataTypes.BIGINT, allowNull: true },
    },
    { ...common, tableName: 'reservations' },
  )
  JoinRow.init(
    {
      change: { ...whole(), primaryKey: true },
      machine: { ...text(), primaryKey: true },
      cluster: text(),
      site: text(),
      node: text(),
      card: text(),
      address: text(),
      round: whole(),
      until: text(),
      usedAt: optionalText(),
      facts: optionalJson(),
      refused: optionalText(),
    },
    { ...common, tableName: 'joins' },
  )
}
