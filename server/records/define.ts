/** How the records are laid out in the database. */

import { AddOnVersionRow, ImageRow, ReleaseEdgeRow } from './catalogue-rows'
import { DataTypes, type Sequelize } from 'sequelize'
import { type Common, text, optionalText, json, optionalJson, whole } from './columns'
import { defineChanges, defineRuns } from './define-changes'
import {
  MadeRow,
  ClusterRow,
  ContactRow,
  DurationRow,
  WindowRow,
  JournalRow,
  ReleaseRow,
  LedgerRow,
  KeyRow,
  LoadingRow,
  CredentialRow,
  TemplateRow,
  LayerFileRow,
  ExpectationRow,
  PriceRow,
  AuthorityRow,
} from './models'
import { ShipmentRow, SnapshotScheduleRow } from './storage-rows'

const { BOOLEAN, DATE, INTEGER, TEXT } = DataTypes

/** Clusters, what was made for them, and who signs for them. */
function defineClusters(common: Common): void {
  ClusterRow.init(
    {
      name: { ...text(), primaryKey: true },
      site: text(),
      guarded: { type: BOOLEAN, allowNull: false },
      release: text(),
      controlPlane: json(),
      pools: json(),
      labels: json(),
      drives: json(),
      pods: text(),
      services: text(),
      maxPodsPerNode: whole(),
      endpoint: optionalText(),
      health: optionalJson(),
      rest: optionalJson(),
      autoscale: optionalJson(),
      restDoneAt: optionalText(),
    },
    { ...common, tableName: 'clusters' },
  )
  MadeRow.init(
    {
      id: { type: INTEGER, primaryKey: true, autoIncrement: true },
      ref: text(),
      change: whole(),
      step: text(),
      at: text(),
      goneAt: optionalText(),
      goneBy: { type: INTEGER, allowNull: true },
    },
    { ...common, tableName: 'made' },
  )
  AuthorityRow.init(
    {
      cluster: { ...text(), primaryKey: true },
      covers: { type: TEXT, allowNull: false },
      certificate: { type: TEXT, allowNull: false },
      fingerprint: text(),
      expires: text(),
      sealed: { type: TEXT, allowNull: true },
      port: { type: INTEGER, allowNull: true },
      epochs: optionalJson(),
    },
    { ...common, tableName: 'authorities' },
  )
  ExpectationRow.init(
    {
      name: { ...text(), primaryKey: true },
      from: json(),
      to: json(),
      port: { type: INTEGER, allowNull: false },
      protocol: text(),
      delivered: { type: BOOLEAN, allowNull: false },
    },
    { ...common, tableName: 'expectations' },
  )
  SnapshotScheduleRow.init(
    {
      cluster: { ...text(), primaryKey: true },
      volume: { ...text(), primaryKey: true },
      start: text(),
      zone: text(),
      rule: text(),
      keep: whole(),
      doneAt: text(),
    },
    { ...common, tableName: 'snapshotSchedules' },
  )
  ContactRow.init(
    { site: { ...text(), primaryKey: true }, address: text() },
    { ...common, tableName: 'contacts' },
  )
}

/** Releases, images and add-ons, and what travels of them. */
function defineCatalogue(common: Common): void {
  ReleaseRow.init(
    {
      version: { ...text(), primaryKey: true },
      released: text(),
      endOfSupport: text(),
      architectures: json(),
      baseImage: text(),
      minimumRootDiskGb: whole(),
      withdrawn: optionalText(),
      images: { ...json(), defaultValue: [] },
    },
    { ...common, tableName: 'releases' },
  )
  ReleaseEdgeRow.init(
    {
      from: { ...text(), primaryKey: true },
      to: { ...text(), primaryKey: true },
      withdrawn: optionalText(),
    },
    { ...common, tableName: 'releaseEdges' },
  )
  ImageRow.init(
    {
      digest: { ...text(), primaryKey: true },
      name: text(),
      bytes: whole(),
      layers: json(),
      signedBy: optionalText(),
    },
    { ...common, tableName: 'images' },
  )
  AddOnVersionRow.init(
    {
      addOn: { ...text(), primaryKey: true },
      channel: { ...text(), primaryKey: true },
      version: { ...text(), primaryKey: true },
      min: optionalText(),
      max: optionalText(),
      replaces: json(),
      images: json(),
    },
    { ...common, tableName: 'addOnVersions' },
  )
  ShipmentRow.init(
    {
      name: { ...text(), primaryKey: true },
      site: text(),
      release: { type: TEXT, allowNull: true },
      packedAt: text(),
      images: json(),
      drives: json(),
    },
    { ...common, tableName: 'shipments' },
  )
}

/** What people keep here: addresses, keys, credentials, templates, prices, windows. */
function defineRegister(common: Common): void {
  LedgerRow.init(
    {
      id: { type: INTEGER, primaryKey: true, autoIncrement: true },
      domain: text(),
      range: text(),
      name: text(),
    },
    { ...common, tableName: 'ledger' },
  )
  KeyRow.init(
    {
      name: { ...text(), primaryKey: true },
      line: { type: TEXT, allowNull: true },
      fingerprint: optionalText(),
    },
    { ...common, tableName: 'ssh_keys' },
  )
  CredentialRow.init(
    {
      site: { ...text(), primaryKey: true },
      name: { ...text(), primaryKey: true },
      sealed: { type: TEXT, allowNull: false },
      fingerprint: text(),
      until: text(),
      checkedAt: optionalText(),
      checkedSays: optionalText(),
      checkedGood: { type: BOOLEAN, allowNull: true },
    },
    { ...common, tableName: 'credentials' },
  )
  TemplateRow.init(
    {
      name: { ...text(), primaryKey: true },
      says: text(),
      kind: text(),
      intent: json(),
      open: json(),
      shipped: { type: BOOLEAN, allowNull: false },
    },
    { ...common, tableName: 'templates' },
  )
  LayerFileRow.init(
    { name: { ...text(), primaryKey: true }, text: { type: TEXT, allowNull: false } },
    { ...common, tableName: 'layer_files' },
  )
  PriceRow.init(
    {
      site: { ...text(), primaryKey: true },
      item: { ...text(), primaryKey: true },
      units: { type: DataTypes.DOUBLE, allowNull: false },
    },
    { ...common, tableName: 'prices' },
  )
  WindowRow.init(
    {
      name: { ...text(), primaryKey: true },
      start: text(),
      zone: text(),
      minutes: whole(),
      rule: { type: TEXT, allowNull: true },
      except: json(),
      clusters: json(),
      labels: json(),
    },
    { ...common, tableName: 'windows' },
  )
  LoadingRow.init({ what: { ...text(), primaryKey: true } }, { ...common, tableName: 'loading' })
}

/** What happened, and how long it took. */
function defineJournal(common: Common): void {
  JournalRow.init(
    {
      seq: { type: INTEGER, primaryKey: true, autoIncrement: true },
      at: text(),
      wall: { type: DATE, allowNull: false },
      kind: text(),
      change: { type: INTEGER, allowNull: true },
      about: optionalText(),
      says: { type: TEXT, allowNull: false },
      params: json(),
      by: text(),
    },
    { ...common, tableName: 'journal' },
  )
  DurationRow.init(
    {
      id: { type: INTEGER, primaryKey: true, autoIncrement: true },
      change: whole(),
      step: text(),
      verb: text(),
      site: text(),
      size: text(),
      predicted: { type: DataTypes.DOUBLE, allowNull: false },
      worst: { type: DataTypes.DOUBLE, allowNull: false },
      seconds: { type: DataTypes.DOUBLE, allowNull: false },
      at: text(),
    },
    { ...common, tableName: 'durations' },
  )
}

export function defineRecords(sequelize: Sequelize): void {
  const common = { sequelize, timestamps: false } as const
  defineClusters(common)
  defineChanges(common)
  defineRuns(common)
  defineCatalogue(common)
  defineRegister(common)
  defineJournal(common)
}
