/** Records of Parts and campaigns, their versions and references, and what is made from them. */
import { DataTypes, type Sequelize } from 'sequelize';
import type { PageCheck, PartKind, Routing } from '@tracheon/core/contract';
import { key, type Table } from './table.ts';

export interface PartAttributes {
  id: string;
  deskId: string;
  kind: PartKind;
  name: string;
  key: string;
  state: 'live' | 'paused' | 'archived';
  version: number;
  body: unknown;
  /** Version of the desk in which it changed last; null until the change has been counted. */
  changedIn: string | null;
  createdAt: Date;
  updatedAt: Date;
}
export interface PartVersionAttributes {
  partId: string;
  version: number;
  deskId: string;
  body: unknown;
  state: string;
  changedBy: string | null;
  changedAt: Date;
}
/** One reference of a record to another. */
export interface PartLinkAttributes {
  deskId: string;
  fromId: string;
  /** Where in the body it stands. */
  path: string;
  toId: string;
}
/** One record of a change of many: its version before, and after. */
export interface ChangeItem {
  id: string;
  kind: PartKind;
  from: number;
  to: number;
}
export interface PartChangeAttributes {
  id: string;
  deskId: string;
  words: string;
  items: ChangeItem[];
  madeBy: string;
  madeAt: Date;
  undoneAt: Date | null;
}
/** A key that was replaced, as long as it is still taken. */
export interface OldKeyAttributes {
  key: string;
  partId: string;
  deskId: string;
  validUntil: Date;
}
export interface TemplateAttributes {
  id: string;
  deskId: string;
  kind: string;
  title: string;
  category: string;
  about: string;
  body: unknown;
  createdBy: string;
}
export interface PageCheckAttributes {
  partId: string;
  deskId: string;
  at: Date;
  result: PageCheck;
}

export interface SharedRoutingAttributes {
  id: string;
  deskId: string;
  name: string;
  routing: Routing;
}

export interface PartModels {
  SharedRouting: Table<SharedRoutingAttributes>;
  Part: Table<PartAttributes>;
  PartVersion: Table<PartVersionAttributes>;
  PartLink: Table<PartLinkAttributes>;
  PartChange: Table<PartChangeAttributes>;
  OldKey: Table<OldKeyAttributes>;
  Template: Table<TemplateAttributes>;
  PageCheck: Table<PageCheckAttributes>;
}

const { STRING, TEXT, INTEGER, BIGINT, JSONB, DATE } = DataTypes;

export const defineParts = (sequelize: Sequelize): PartModels =>
  ({
    SharedRouting: sequelize.define(
      'sharedRouting',
      { id: key(), deskId: STRING, name: TEXT, routing: JSONB },
      { tableName: 'shared_routings' },
    ),
    Part: sequelize.define(
      'part',
      {
        id: key(),
        deskId: STRING,
        kind: TEXT,
        name: TEXT,
        key: TEXT,
        state: TEXT,
        version: INTEGER,
        body: JSONB,
        changedIn: BIGINT,
        createdAt: DATE,
        updatedAt: DATE,
      },
      { tableName: 'parts' },
    ),
    PartVersion: sequelize.define(
      'partVersion',
      {
        partId: key(),
        version: { type: INTEGER, primaryKey: true },
        deskId: STRING,
        body: JSONB,
        state: TEXT,
        changedBy: STRING,
        changedAt: DATE,
      },
      { tableName: 'part_versions' },
    ),
    PartLink: sequelize.define(
      'partLink',
      { deskId: STRING, fromId: key(), path: { type: TEXT, primaryKey: true }, toId: STRING },
      { tableName: 'part_links' },
    ),
    PartChange: sequelize.define(
      'partChange',
      { id: key(), deskId: STRING, words: TEXT, items: JSONB, madeBy: STRING, madeAt: DATE, undoneAt: DATE },
      { tableName: 'part_changes' },
    ),
    OldKey: sequelize.define(
      'oldKey',
      { key: key(), partId: STRING, deskId: STRING, validUntil: DATE },
      { tableName: 'old_keys' },
    ),
    Template: sequelize.define(
      'template',
      {
        id: key(),
        deskId: STRING,
        kind: TEXT,
        title: TEXT,
        category: TEXT,
        about: TEXT,
        body: JSONB,
        createdBy: STRING,
      },
      { tableName: 'templates' },
    ),
    PageCheck: sequelize.define(
      'pageCheck',
      { partId: key(), deskId: STRING, at: DATE, result: JSONB },
      { tableName: 'page_checks' },
    ),
  }) as unknown as PartModels;
