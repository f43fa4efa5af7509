/** What a desk keeps of its reports: values on the block and allow lists of its sources, and views of Numbers. */
import { DataTypes, type Sequelize } from 'sequelize';
import type { ListKind } from '@tracheon/core/contract';
import { key, type Table } from './table.ts';

export interface ListEntryAttributes {
  id: string;
  deskId: string;
  sourceId: string;
  sub: string;
  value: string;
  list: ListKind;
  reason: string;
  /** null where its cost was not known. */
  profitPerDayMicros: string | null;
  addedBy: string;
  addedAt: Date;
  /** null while it is on the list. */
  removedBy: string | null;
  removedAt: Date | null;
}
export interface SavedViewAttributes {
  id: string;
  deskId: string;
  name: string;
  query: string;
  savedBy: string;
  savedAt: Date;
}
export interface OwnFigureAttributes {
  id: string;
  deskId: string;
  name: string;
  formula: string;
  format: 'number' | 'percent';
  savedBy: string;
  savedAt: Date;
}
export interface ListModels {
  OwnFigure: Table<OwnFigureAttributes>;
  SavedView: Table<SavedViewAttributes>;
  ListEntry: Table<ListEntryAttributes>;
}

const { STRING, TEXT, BIGINT, DATE } = DataTypes;

export const defineLists = (sequelize: Sequelize): ListModels =>
  ({
    SavedView: sequelize.define(
      'savedView',
      { id: key(), deskId: STRING, name: TEXT, query: TEXT, savedBy: STRING, savedAt: DATE },
      { tableName: 'saved_views' },
    ),
    OwnFigure: sequelize.define(
      'ownFigure',
      {
        id: key(),
        deskId: STRING,
        name: TEXT,
        formula: TEXT,
        format: TEXT,
        savedBy: STRING,
        savedAt: DATE,
      },
      { tableName: 'own_figures' },
    ),
    ListEntry: sequelize.define(
      'listEntry',
      {
        id: key(),
        deskId: STRING,
        sourceId: STRING,
        sub: TEXT,
        value: TEXT,
        list: TEXT,
        reason: TEXT,
        profitPerDayMicros: BIGINT,
        addedBy: STRING,
        addedAt: DATE,
        removedBy: STRING,
        removedAt: DATE,
      },
      { tableName: 'list_entries' },
    ),
  }) as unknown as ListModels;
