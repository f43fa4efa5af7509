/** The desk that somebody is on, with what screens and reports need of it. */
import { noBotList, type BotList } from '@tracheon/core/contract';
import { defaultNameRules } from '@tracheon/core/naming';
import type { Models } from '../db/models.ts';
import { Problem } from '../problems/problem.ts';

export interface DeskRecord {
  id: string;
  name: string;
  zone: string;
  currency: string;
  fallbackUrl: string;
  nameRules: { campaign: string; offer: string };
}

export async function deskOf(models: Models, deskId: string): Promise<DeskRecord> {
  const desk = await models.Desk.findByPk(deskId);
  if (!desk) throw new Problem('not_found');
  const { id, name, zone, currency, fallbackUrl, nameRules } = desk.get();
  return { id, name, zone, currency, fallbackUrl, nameRules: { ...defaultNameRules, ...nameRules } };
}

/** What the desk takes for bots besides those that are recognized anyway. */
export async function botListOf(models: Models, deskId: string): Promise<BotList> {
  const desk = await models.Desk.findByPk(deskId, { attributes: ['botList'] });
  if (!desk) throw new Problem('not_found');
  return { ...noBotList, ...desk.get().botList };
}
