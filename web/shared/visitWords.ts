/** What is known of a visit, in words. */
import type { VisitRow } from '@tracheon/core/contract';

export function visitMarks(v: VisitRow): string {
  const unfilled = v.notes.some((n) => n.startsWith('unsubstituted'));
  const known = !v.isBot && !v.isRepeat ? (v.isUnique ? 'unique' : 'returning') : '';
  return [v.isBot && 'bot', v.isRepeat && 'repeat', v.isTest && 'test', known, unfilled && 'macro unfilled']
    .filter(Boolean)
    .join(', ');
}

/** Notes are `code` or `code:parameter`. */
export function visitNote(note: string): string {
  const [what, name = ''] = note.split(':');
  const words: Record<string, string> = {
    repeated: `“${name}” appeared more than once; Tracheon used the first value`,
    unsubstituted: `the macro of “${name}” came unfilled`,
    cut: `“${name}” was cut at 512 bytes`,
    replaced_characters: 'Tracheon replaced characters that it cannot store',
    too_many_parameters: 'more parameters came than are read',
    no_cost: 'no cost was told',
    unreadable_cost: 'the cost could not be read with certainty',
    erased: 'what could point to a person was erased',
    bot_cleared: 'the bot mark was cleared, since it converted',
  };
  return words[what!] ?? note;
}
