/** A line of figures: label, value, a quiet note, and the plain amount that another period is compared by. */
import type { Figures } from '@tracheon/core/contract';
import { figureDefinitions } from '@tracheon/core/metrics';
import { count, money, percent } from './format.ts';

export interface FigureCell {
  label: string;
  value: string;
  note: string;
  tone: '' | 'gain' | 'loss' | 'hold';
  /** Null where there is nothing to compare. */
  amount: number | null;
}
const sign = (micros: string): FigureCell['tone'] =>
  BigInt(micros) < 0n ? 'loss' : BigInt(micros) > 0n ? 'gain' : '';
const each = (micros: string | null): string => (micros === null ? '–' : money(micros, 4));
const amountOf = (micros: string | null): number | null => (micros === null ? null : Number(micros));

/** Shown in place of a profit or ROI whose cost is not known. */
export const UNKNOWN = '?';
export const visitsWithoutCost = (n: number): string =>
  n === 1 ? '1 visit without a cost' : `${count(n)} visits without a cost`;

/** The approval rate that money on hold was counted at, and on how many decisions it rests. */
export function holdNote(f: Figures): string {
  if (f.onHoldMicros === '0') return 'nothing on hold';
  const decided = f.holdRates.reduce((n, r) => n + r.decided, 0);
  if (decided === 0) return 'no decisions yet, counted in full';
  const hold = Number(f.onHoldMicros);
  const rate = hold === 0 ? null : (Number(f.expectedMicros) - Number(f.earnedMicros)) / hold;
  return `× ${percent(rate, 0)} approval, ${count(decided)} decided`;
}

export function figureCells(f: Figures, currency: string): FigureCell[] {
  const isUnknown = f.profitMicros === null;
  return [
    {
      label: figureDefinitions.profitMicros.label,
      value: isUnknown ? UNKNOWN : money(f.profitMicros!, 2, true),
      note: isUnknown ? 'cost not known' : `${currency}, expected`,
      tone: isUnknown ? '' : sign(f.profitMicros!),
      amount: amountOf(f.profitMicros),
    },
    {
      label: figureDefinitions.roi.label,
      value: isUnknown ? UNKNOWN : percent(f.roi, 1, true),
      note: 'of cost',
      tone: f.roi === null ? '' : sign(f.profitMicros!),
      amount: null,
    },
    {
      label: figureDefinitions.spentMicros.label,
      value: money(f.spentMicros),
      note: f.withoutCost > 0 ? visitsWithoutCost(f.withoutCost) : `bots ${money(f.botCostMicros)}`,
      tone: '',
      amount: amountOf(f.spentMicros),
    },
    {
      label: figureDefinitions.expectedMicros.label,
      value: money(f.expectedMicros),
      note:
        f.estimatedMicros === '0'
          ? 'earned + on hold × approval'
          : `${percent(f.estimatedShare, 0)} of it estimated`,
      tone: '',
      amount: amountOf(f.expectedMicros),
    },
    {
      label: figureDefinitions.earnedMicros.label,
      value: money(f.earnedMicros),
      note: 'approved',
      tone: '',
      amount: amountOf(f.earnedMicros),
    },
    {
      label: figureDefinitions.onHoldMicros.label,
      value: f.onHoldMicros === '0' ? '–' : `◌ ${money(f.onHoldMicros)}`,
      note: holdNote(f),
      tone: f.onHoldMicros === '0' ? '' : 'hold',
      amount: amountOf(f.onHoldMicros),
    },
    {
      label: figureDefinitions.visits.label,
      value: count(f.visits),
      note: `${count(f.unique)} unique`,
      tone: '',
      amount: f.visits,
    },
    {
      label: figureDefinitions.sentToOffer.label,
      value: count(f.sentToOffer),
      note:
        f.pageCtr === null
          ? `bots ${count(f.bots)} · repeats ${count(f.repeats)}`
          : `page CTR ${percent(f.pageCtr, 1)}`,
      tone: '',
      amount: f.sentToOffer,
    },
    {
      label: figureDefinitions.conversions.label,
      value: count(f.conversions),
      note: `CR ${percent(f.cr, 2)}`,
      tone: '',
      amount: f.conversions,
    },
    {
      label: 'Per visit',
      value: each(f.earnedPerVisitMicros),
      note: `paid ${each(f.paidPerVisitMicros)}`,
      tone: '',
      amount: amountOf(f.earnedPerVisitMicros),
    },
    {
      label: 'Per offer click',
      value: each(f.earnedPerOfferClickMicros),
      note: 'earned, expected',
      tone: '',
      amount: amountOf(f.earnedPerOfferClickMicros),
    },
  ];
}

/** Up or down against the period before; empty where that cannot be said. */
export function changeWords(now: number | null, before: number | null | undefined): string {
  if (now === null || before === null || before === undefined || before === 0) return '';
  const share = (now - before) / Math.abs(before);
  if (share === 0) return '= before';
  return `${share > 0 ? '▲' : '▼'} ${percent(Math.abs(share), Math.abs(share) < 0.1 ? 1 : 0)}`;
}
