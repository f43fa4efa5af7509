/** What a watch can look at and how its words and numbers read and are typed, on its screens. */
import {
  CHANCE,
  SUB_SUBJECT,
  watchRecords,
  type PartRecord,
  type SourceInput,
  type WatchAct,
  type WatchCondition,
  type WatchFinding,
  type WatchInput,
} from '@tracheon/core/contract';
import {
  eventFigureKinds,
  eventFigureName,
  figureDefinitions,
  ownFigureName,
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
  weightTo: 0,
  request: { method: 'get', url: '', body: '', repeats: false },
  mailTo: [],
  webhook: false,
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

export function figureChoices(
  eventTypes: readonly { id: string; name: string }[],
  ownFigures: readonly { id: string; name: string }[],
): Choice[] {
  const nameOf = (id: string): string => [...eventTypes, ...ownFigures].find((e) => e.id === id)?.name ?? '';
  const events = eventTypes.flatMap(({ id }) =>
    eventFigureKinds.map((kind) => eventFigureName({ eventTypeId: id, kind })),
  );
  const own = ownFigures.map(({ id }) => ownFigureName(id));
  return [...Object.keys(figureDefinitions), CHANCE, ...own, ...events].map((value) => ({
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
    ...(figure === CHANCE ? [] : [{ value: 'usual' as const, label: '% of usual' }]),
  ];
}
/** Shares are typed in percent. */
export const isTypedInPercent = ({ figure, unit }: WatchCondition): boolean =>
  unit === 'share' || unit === 'usual' || (unit === 'own' && watchFigureKind(figure) === 'percent');

export const stateWords: Record<WatchFinding['state'], string> = {
  none: 'notified',
  put_off: 'put off',
  asked: 'waits for you',
  done: 'done',
  left: 'left as it is',
  failed: 'not done',
  undone: 'undone',
};
type Decision = 'act' | 'leave' | 'undo';
const doWords: Record<WatchAct, string> = {
  notify: '',
  pause: 'Pause it',
  resume: 'Resume it',
  weight: 'Change its weight',
  block: 'Put on block list',
  allow: 'Put on allow list',
  hold: 'Hold payouts',
  request: 'Send the request',
};
const undoWords: Record<WatchAct, string> = {
  notify: '',
  pause: 'Resume it',
  resume: 'Pause it',
  weight: 'Set the old weight',
  block: 'Take off the list',
  allow: 'Take off the list',
  hold: 'Undo hold',
  // What a source was sent can't be taken back.
  request: '',
};
/** What a member can decide about it now. */
export function decisionsOn({ state, act, endedAt }: WatchFinding): { decision: Decision; label: string }[] {
  if (act === 'notify') return [];
  if (state === 'done') return undoWords[act] === '' ? [] : [{ decision: 'undo', label: undoWords[act] }];
  if (endedAt !== null || state === 'none') return [];
  const doIt = { decision: 'act' as const, label: doWords[act] };
  return state === 'left' || state === 'undone' ? [doIt] : [doIt, { decision: 'leave', label: 'Leave it' }];
}
