/** Members, their desks and what lets them in. */
import { DataTypes, type Sequelize } from 'sequelize';
import type { BotList, Role, TableLayout, TokenScope, VerdictRules } from '@tracheon/core/contract';
import { key, type Table } from './table.ts';

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
  botList: BotList;
  /** Those that the desk set itself. */
  verdictRules: Partial<VerdictRules>;
  /** Rates are loaded every day; null: they were, or they aren't. */
  dailyRates: boolean;
  ratesFailedAt: Date | null;
}
export interface MembershipAttributes {
  deskId: string;
  memberId: string;
  role: Role;
}
export interface ApiTokenAttributes {
  id: string;
  deskId: string;
  memberId: string;
  name: string;
  scope: TokenScope;
  /** SHA-256 of the token. */
  hash: Buffer;
  createdAt: Date;
  lastUsedAt: Date | null;
  /** null: never. */
  expiresAt: Date | null;
  endsWithPassword: boolean;
}
export interface PasswordLinkAttributes {
  /** SHA-256 of the link's secret. */
  hash: Buffer;
  memberId: string;
  madeBy: string;
  expiresAt: Date;
}
export interface TableLayoutAttributes {
  deskId: string;
  memberId: string;
  tableName: string;
  layout: TableLayout;
}
export interface RateAttributes {
  deskId: string;
  base: string;
  day: string;
  nanos: string;
}

export interface AccountModels {
  Member: Table<MemberAttributes>;
  Desk: Table<DeskAttributes>;
  Membership: Table<MembershipAttributes>;
  ApiToken: Table<ApiTokenAttributes>;
  PasswordLink: Table<PasswordLinkAttributes>;
  TableLayout: Table<TableLayoutAttributes>;
  Rate: Table<RateAttributes>;
}

const { STRING, TEXT, BOOLEAN, JSONB, DATE, DATEONLY, BIGINT, BLOB } = DataTypes;

export const defineAccounts = (sequelize: Sequelize): AccountModels =>
  ({
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
        botList: JSONB,
        verdictRules: JSONB,
        dailyRates: BOOLEAN,
        ratesFailedAt: DATE,
      },
      { tableName: 'desks' },
    ),
    Membership: sequelize.define(
      'membership',
      { deskId: key(), memberId: key(), role: TEXT },
      { tableName: 'memberships' },
    ),
    ApiToken: sequelize.define(
      'apiToken',
      {
        id: key(),
        deskId: STRING,
        memberId: STRING,
        name: TEXT,
        scope: TEXT,
        hash: BLOB,
        createdAt: DATE,
        lastUsedAt: DATE,
        expiresAt: DATE,
        endsWithPassword: BOOLEAN,
      },
      { tableName: 'api_tokens' },
    ),
    PasswordLink: sequelize.define(
      'passwordLink',
      { hash: { type: BLOB, primaryKey: true }, memberId: STRING, madeBy: STRING, expiresAt: DATE },
      { tableName: 'password_links' },
    ),
    TableLayout: sequelize.define(
      'tableLayout',
      { deskId: key(), memberId: key(), tableName: key(), layout: JSONB },
      { tableName: 'table_layouts' },
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
  }) as unknown as AccountModels;
