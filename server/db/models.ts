/**
 * The door to all records: what the API edits is read and written by these models. Event tables, reports and bulk writes use
 * SQL on pools with the same settings.
 */
import pg from 'pg';
import { Sequelize } from 'sequelize';
import {
  CONNECT_TIMEOUT_MS,
  settingsText,
  SILENCE_MS,
  STATEMENT_TIMEOUT_MS,
  TURN_TIMEOUT_MS,
  type Reads,
} from './pools.ts';
import { defineAccounts, type AccountModels } from './records/accounts.ts';
import { defineLists, type ListModels } from './records/lists.ts';
import { defineParts, type PartModels } from './records/parts.ts';
import { defineSetup, type SetupModels } from './records/setup.ts';

export type { ChangeItem, PartAttributes } from './records/parts.ts';

export interface Models extends AccountModels, PartModels, SetupModels, ListModels {
  sequelize: Sequelize;
}

export function openSequelize(url: string): Sequelize {
  return new Sequelize(url, {
    dialect: 'postgres',
    // It would look for the package by its name at run time, and the built program has it within.
    dialectModule: pg,
    logging: false,
    // The API's share of connections; capture and intake have pools of their own.
    pool: { max: 6, min: 0, acquire: TURN_TIMEOUT_MS },
    dialectOptions: {
      application_name: 'tracheon records',
      connectionTimeoutMillis: CONNECT_TIMEOUT_MS,
      query_timeout: SILENCE_MS,
      keepAlive: true,
    },
    hooks: {
      afterConnect: async (connection) => {
        const client = connection as Reads;
        await client.query(settingsText({ statement_timeout: String(STATEMENT_TIMEOUT_MS) }));
      },
    },
    define: { underscored: true, timestamps: false },
    retry: { max: 0 },
  });
}

export const defineModels = (sequelize: Sequelize): Models => ({
  sequelize,
  ...defineAccounts(sequelize),
  ...defineParts(sequelize),
  ...defineSetup(sequelize),
  ...defineLists(sequelize),
});
