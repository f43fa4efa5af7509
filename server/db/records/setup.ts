/** Tracking domains, links that were handed over, and drafts of whole chains. */
import { DataTypes, type Sequelize } from 'sequelize';
import type { DomainCheck, SheetBody } from '@tracheon/core/contract';
import { key, type Table } from './table.ts';

export interface TrackingDomainAttributes {
  id: string;
  deskId: string;
  origin: string;
  host: string;
  isDefault: boolean;
  fallbackUrl: string;
  lastCheck: DomainCheck | null;
}
export interface OwnPathAttributes {
  domainId: string;
  path: string;
  campaignId: string;
}
/** The parameters with which a campaign's link was pasted into its source. */
export interface PastedLinkAttributes {
  campaignId: string;
  deskId: string;
  query: string;
  pastedBy: string;
  pastedAt: Date;
}
export interface SetupSheetAttributes {
  id: string;
  deskId: string;
  version: number;
  body: Partial<SheetBody>;
  /** By field: version and member of its last change. */
  changedIn: Record<string, { version: number; by: string }>;
  changedBy: string;
  changedAt: Date;
  /** What was made from it; null while it is a draft. */
  campaignId: string | null;
}
/** Who had a sheet open last, and when. */
export interface SetupPresenceAttributes {
  sheetId: string;
  memberId: string;
  at: Date;
}

export interface SetupModels {
  TrackingDomain: Table<TrackingDomainAttributes>;
  OwnPath: Table<OwnPathAttributes>;
  PastedLink: Table<PastedLinkAttributes>;
  SetupSheet: Table<SetupSheetAttributes>;
  SetupPresence: Table<SetupPresenceAttributes>;
}

const { STRING, TEXT, BOOLEAN, INTEGER, JSONB, DATE } = DataTypes;

export const defineSetup = (sequelize: Sequelize): SetupModels =>
  ({
    TrackingDomain: sequelize.define(
      'trackingDomain',
      {
        id: key(),
        deskId: STRING,
        origin: TEXT,
        host: TEXT,
        isDefault: BOOLEAN,
        fallbackUrl: TEXT,
        lastCheck: JSONB,
      },
      { tableName: 'tracking_domains' },
    ),
    OwnPath: sequelize.define(
      'ownPath',
      { domainId: key(), path: { type: TEXT, primaryKey: true }, campaignId: STRING },
      { tableName: 'own_paths' },
    ),
    PastedLink: sequelize.define(
      'pastedLink',
      { campaignId: key(), deskId: STRING, query: TEXT, pastedBy: STRING, pastedAt: DATE },
      { tableName: 'pasted_links' },
    ),
    SetupSheet: sequelize.define(
      'setupSheet',
      {
        id: key(),
        deskId: STRING,
        version: INTEGER,
        body: JSONB,
        changedIn: JSONB,
        changedBy: STRING,
        changedAt: DATE,
        campaignId: STRING,
      },
      { tableName: 'setup_sheets' },
    ),
    SetupPresence: sequelize.define(
      'setupPresence',
      { sheetId: key(), memberId: key(), at: DATE },
      { tableName: 'setup_presence' },
    ),
  }) as unknown as SetupModels;
