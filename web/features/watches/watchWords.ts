/** What a watch can look at and how its words and numbers read and are typed, on its screens. */
import {
  CHANCE,
  SUB_SUBJECT,
  watchRecords,
  type PartRecord,
  type SourceInput,
  type WatchCondition,
  type WatchFinding,
  type WatchInput,
} from '@tracheon/core/contract';
import {
  eventFigureKinds,
  eventFigureName,
  figureDefinitions,
  type FigureName,
} from '@tracheon/core/metrics';
import { comparisonWords, subjectWord, watchFigureKind, watchFigureWord } from '@tracheon/core/watches';

export interface Choice {
  value: string;
  label: string;
}

export const blankWatch = (): WatchInput => ({
  name: '',
  subject: 'campaign_id',
  sourceId: '',
  campaignId: '',
  match: 'all',
  conditions: [
    { figure: 'spentMicros', is: '>=', than: 2, unit: 'payouts' },
    { figure: 'conversions', is: '=', than: 0, unit: 'own' },
  ],
  windowHours: 48,
  skipHours: 1,
  everyMinutes: 240,
  act: 'notify',
  asks: true,
  isGuarded: true,
  actsPerDay: 20,
  restHours: 24,
  quietFrom: 0,
  quietTo: 0,
  isOn: false,
});

/** Sub-IDs of the source, or of all sources where none is chosen. */
export function subjectChoices(sources: readonly PartRecord<'source'>[], sourceId: string): Choice[] {
  const of = sources.filter((s) => sourceId === '' || s.id === sourceId);
  const subs = new Set(of.flatMap((s) => subsOf(s.body)));
  return [...[...subs].sort().map((s) => `${SUB_SUBJECT}${s}`), ...watchRecords].map((value) => ({
    value,
    label: subjectWord(value),
  }));
}
const subsOf = ({ parameters }: SourceInput): string[] =>
  parameters.flatMap((p) => (p.role === 'sub' ? [p.sub] : []));

export function figureChoices(eventTypes: readonly { id: string; name: string }[]): Choice[] {
  const nameOf = (id: string): string => eventTypes.find((e) => e.id === id)?.name ?? '';
  const events = eventTypes.flatMap(({ id }) =>
    eventFigureKinds.map((kind) => eventFigureName({ eventTypeId: id, kind })),
  );
  return [...Object.keys(figureDefinitions), CHANCE, ...events].map((value) => ({
    value,
    label: watchFigureWord(value, nameOf),
  }));
}
export const comparisonChoices = (Object.keys(comparisonWords) as WatchCondition['is'][]).map((value) => ({
  value,
  label: comparisonWords[value],
}));

/** Units in which this figure can be compared. */
export function unitChoices(
  figure: string,
  currency: string,
): { value: WatchCondition['unit']; label: string }[] {
  const kind = watchFigureKind(figure);
  const own = {
    value: 'own' as const,
    label: kind === 'money' ? currency : kind === 'percent' ? '%' : 'number',
  };
  const made = Object.hasOwn(figureDefinitions, figure) ? figureDefinitions[figure as FigureName].unit : null;
  return [
    own,
    ...(made === 'money' ? [{ value: 'payouts' as const, label: 'payouts' }] : []),
    ...(made === 'money' || made === 'count' ? [{ value: 'share' as const, label: '% of the total' }] : []),
  ];
}
/** Shares are typed in percent. */
export const isTypedInPercent = ({ figure, unit }: WatchCondition): boolean =>
  unit === 'share' || (unit === 'own' && watchFigureKind(figure) === 'percent');

export const stateWords: Record<WatchFinding['state'], string> = {
  none: 'notified',
  put_off: 'put off',
  asked: 'waits for you',
  done: 'done',
  left: 'left as it is',
  failed: 'not done',
  undone: 'undone',
};
/** What a member can decide about it now. */
export function decisionsOn({
  state,
  act,
  endedAt,
}: WatchFinding): { decision: 'act' | 'leave' | 'undo'; label: string }[] {
  if (act === 'notify') return [];
  if (state === 'done')
    return [{ decision: 'undo', label: act === 'pause' ? 'Resume campaign' : 'Take off the list' }];
  if (endedAt !== null || state === 'none') return [];
  const doIt = { decision: 'act' as const, label: act === 'pause' ? 'Pause campaign' : 'Put on block list' };
  return state === 'left' || state === 'undone' ? [doIt] : [doIt, { decision: 'leave', label: 'Leave it' }];
}
