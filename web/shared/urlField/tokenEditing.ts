/**
 * What the editor of a link shows in its text: our tokens and their macros as chips, completion of both, and findings as
 * diagnostics. Chips are mark decorations: the text stays text, so that the caret moves through it, and a screen reader
 * and a copy get exactly what is stored.
 */
import { autocompletion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { RangeSetBuilder, StateEffect, StateField, type Extension } from '@codemirror/state';
import { Decoration, EditorView, keymap, type DecorationSet } from '@codemirror/view';
import type { Finding } from '@tracheon/core/links';
import { cutLink } from '../../ui/chips.ts';
import { completionAt, putIn, type Candidate } from './completion.ts';

export type Expander = 'we' | 'they';

const marks = {
  ours: Decoration.mark({ class: 'cm-token-ours' }),
  theirs: Decoration.mark({ class: 'cm-token-theirs' }),
  host: Decoration.mark({ class: 'cm-token-host' }),
};

export function chipRanges(text: string, expander: Expander): DecorationSet {
  const builder = new RangeSetBuilder<Decoration>();
  let at = 0;
  for (const piece of cutLink(text, expander)) {
    if (piece.kind !== 'text') builder.add(at, at + piece.text.length, marks[piece.kind]);
    at += piece.text.length;
  }
  return builder.finish();
}

/** Drawn anew when the text changes, or when somebody else expands it. */
export const redrawChips = StateEffect.define<null>();
export const chips = (expander: () => Expander): Extension =>
  StateField.define<DecorationSet>({
    create: (state) => chipRanges(state.doc.toString(), expander()),
    update: (ranges, transaction) =>
      transaction.docChanged || transaction.effects.some((e) => e.is(redrawChips))
        ? chipRanges(transaction.newDoc.toString(), expander())
        : ranges,
    provide: (field) => EditorView.decorations.from(field),
  });

/** Candidates that fit what was begun before the caret; a closing mark that is done is not doubled. */
export const completeTokens =
  (candidates: () => readonly Candidate[]) =>
  (context: CompletionContext): CompletionResult | null => {
    const text = context.state.doc.toString();
    const found = completionAt(text, context.pos, candidates());
    if (!found) return null;
    return {
      from: found.from,
      filter: false,
      options: found.options.map((c) => ({
        label: c.text,
        detail: c.meaning,
        apply: (view: EditorView) => {
          const put = putIn(text, context.pos, found, c);
          view.dispatch({
            changes: { from: 0, to: view.state.doc.length, insert: put.text },
            selection: { anchor: put.caret },
            userEvent: 'input.complete',
          });
        },
      })),
    };
  };

/** Findings as the editor draws them; an empty place is widened by one so that there is something to point at. */
export function diagnosticsOf(
  findings: readonly Finding[],
  length: number,
  fix: (finding: Finding) => void,
): Diagnostic[] {
  return findings
    .filter((f) => !(f.start === 0 && f.end >= length))
    .map((f) => ({
      from: Math.min(f.start, length),
      to: Math.min(Math.max(f.end, f.start + 1), length),
      severity: f.weight === 'stop' ? ('error' as const) : ('warning' as const),
      message: f.sentence,
      ...(f.fix ? { actions: [{ name: f.fix.words, apply: () => fix(f) }] } : {}),
    }));
}
export const showFindings = (view: EditorView, diagnostics: Diagnostic[]): void =>
  view.dispatch(setDiagnostics(view.state, diagnostics));

/** One line that wraps: a line break in what was pasted is dropped. Tab is left to the page. */
const oneLine = EditorView.inputHandler.of((view, from, to, text) => {
  if (!/[\r\n]/.test(text)) return false;
  const insert = text.replace(/[\r\n]+/g, '');
  view.dispatch({ changes: { from, to, insert }, selection: { anchor: from + insert.length } });
  return true;
});

export function tokenEditing(expander: () => Expander, candidates: () => readonly Candidate[]): Extension[] {
  return [
    history(),
    chips(expander),
    autocompletion({ override: [completeTokens(candidates)], icons: false, activateOnTyping: true }),
    oneLine,
    // Enter is the form's, outside of a completion.
    keymap.of([
      { key: 'Enter', run: () => true },
      ...historyKeymap,
      ...defaultKeymap.filter((binding) => binding.key !== 'Enter' && binding.key !== 'Mod-Enter'),
    ]),
    EditorView.lineWrapping,
  ];
}
