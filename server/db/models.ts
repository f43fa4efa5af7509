/** Sequelize models of what the API edits. Event tables are written and read by SQL on the same server. */
import { DataTypes, Sequelize, type Model, type ModelStatic } from 'sequelize';
import type { PartKind, Role } from '@tracheon/core/contract';

export interface MemberAttributes {
  id: string;
  name: string;
  email: string;
  passwordHash: string;
  /** Where the next sign-in leads; empty: the oldest desk of the member. */
  lastDeskId: string;
}
export interface DeskAttributes {
  id: string;
  name: string;
  zone: string;
  currency: string;
  isDemo: boolean;
  /** Where visitors go when nothing else takes them; empty: nowhere. */
  fallbackUrl: string;
  nameRules: { campaign?: string; offer?: string };
}
export interface MembershipAttributes {
  deskId: string;
  memberId: string;
  role: Role;
}
export interface PartAttributes {
  id: string;
  deskId: string;
  kind: PartKind;
  name: string;
  key: string;
  state: 'live' | 'paused' | 'archived';
  version: number;
  body: unknown;
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
export interface RateAttributes {
  deskId: string;
  base: string;
  day: string;
  nanos: string;
}

type Table<T extends object> = ModelStatic<Model<T, Partial<T>>>;
export interface Models {
  sequelize: Sequelize;
  Member: Table<MemberAttributes>;
  Desk: Table<DeskAttributes>;
  Membership: Table<MembershipAttributes>;
  Part: Table<PartAttributes>;
  PartVersion: Table<PartVersionAttributes>;
  PartLink: Table<PartLinkAttributes>;
  Rate: Table<RateAttributes>;
}

const { STRING, TEXT, BOOLEAN, INTEGER, JSONB, DATE, DATEONLY, BIGINT } = DataTypes;

export function openSequelize(url: string): Sequelize {
  return new Sequelize(url, {
    dialect: 'postgres',
    logging: false,
    // The API's share of connections; capture and intake have pools of their own.
    pool: { max: 6, min: 0, acquire: 15_000 },
    define: { underscored: true, timestamps: false },
    retry: { max: 0 },
  });
}

export function defineModels(sequelize: Sequelize): Models {
  // A new object each time: Sequelize writes the field's name into what it is given.
  const key = () => ({ type: STRING, primaryKey: true });
  return {
    sequelize,
    Member: sequelize.define(
      'member',
      { id: key(), name: TEXT, email: TEXT, passwordHash: TEXT, lastDeskId: STRING },
      { tableName: 'members' },
    ),
    Desk: sequelize.define(
      'desk',
      {
        id: key(),
        name: TEXT,
        zone: TEXT,
        currency: STRING,
        isDemo: BOOLEAN,
        fallbackUrl: TEXT,
        nameRules: JSONB,
      },
      { tableName: 'desks' },
    ),
    Membership: sequelize.define(
      'membership',
      { deskId: key(), memberId: key(), role: TEXT },
      { tableName: 'memberships' },
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
      {
        deskId: STRING,
        fromId: key(),
        path: { type: TEXT, primaryKey: true },
        toId: STRING,
      },
      { tableName: 'part_links' },
    ),
    Rate: sequelize.define(
      'rate',
      {
        deskId: key(),
        base: { type: STRING, primaryKey: true },
        day: { type: DATEONLY, primaryKey: true },
        nanos: BIGINT,
      },
      { tableName: 'rates' },
    ),
  } as unknown as Models;
}
