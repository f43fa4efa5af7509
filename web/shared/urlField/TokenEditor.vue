<script setup lang="ts">
/** The text of a link, with its tokens as chips in the text itself. The model follows each keystroke; one undo for all. */
import { Compartment, EditorState, Transaction } from '@codemirror/state';
import { EditorView } from '@codemirror/view';
import type { Finding } from '@tracheon/core/links';
import { onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import { useFieldsDisabled } from '../../ui/fieldsDisabled.ts';
import type { Candidate } from './completion.ts';
import { diagnosticsOf, redrawChips, showFindings, tokenEditing, type Expander } from './tokenEditing.ts';

const props = defineProps<{
  id?: string;
  expander: Expander;
  candidates: Candidate[];
  findings: Finding[];
  invalid?: boolean;
  describedby?: string | undefined;
  disabled?: boolean;
}>();
const model = defineModel<string>({ required: true });
const emit = defineEmits<{ fix: [finding: Finding] }>();
const room = ref<HTMLElement | null>(null);
const view = shallowRef<EditorView | null>(null);
const groupDisabled = useFieldsDisabled();
const attributes = new Compartment();

const described = () =>
  EditorView.contentAttributes.of({
    role: 'textbox',
    'aria-multiline': 'false',
    'aria-label': '',
    ...(props.id ? { id: props.id, 'aria-labelledby': `${props.id}-label` } : {}),
    ...(props.describedby ? { 'aria-describedby': props.describedby } : {}),
    'aria-invalid': props.invalid ? 'true' : 'false',
    ...(isOff() ? { 'aria-disabled': 'true', tabindex: '-1' } : {}),
    spellcheck: 'false',
  });
const isOff = (): boolean => props.disabled || groupDisabled.value;
const settings = () => [described(), EditorState.readOnly.of(isOff()), EditorView.editable.of(!isOff())];

onMounted(() => {
  view.value = new EditorView({
    parent: room.value!,
    state: EditorState.create({
      doc: model.value,
      extensions: [
        tokenEditing(
          () => props.expander,
          () => props.candidates,
        ),
        attributes.of(settings()),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) model.value = update.state.doc.toString();
        }),
      ],
    }),
  });
  draw();
});
onBeforeUnmount(() => view.value?.destroy());

/** A change from outside (a row of the structure, a fix) is a step of the same undo. */
watch(model, (text) => {
  const editor = view.value;
  if (!editor || editor.state.doc.toString() === text) return;
  editor.dispatch({
    changes: { from: 0, to: editor.state.doc.length, insert: text },
    annotations: Transaction.userEvent.of('input.outside'),
  });
});
function draw(): void {
  const editor = view.value;
  if (!editor) return;
  showFindings(
    editor,
    diagnosticsOf(props.findings, editor.state.doc.length, (f) => emit('fix', f)),
  );
}
watch(() => props.findings, draw, { flush: 'post' });
watch(
  () => props.expander,
  () => view.value?.dispatch({ effects: redrawChips.of(null) }),
);
watch([() => props.invalid, () => props.disabled, groupDisabled, () => props.describedby], () =>
  view.value?.dispatch({ effects: attributes.reconfigure(settings()) }),
);
</script>
<template>
  <!-- An Escape that closed the completion is not the sheet's. -->
  <div
    ref="room"
    class="token-editor"
    :class="{ invalid, off: disabled || groupDisabled }"
    @keydown.escape="$event.defaultPrevented && $event.stopPropagation()"
  />
</template>
<style>
.token-editor .cm-editor {
  border: 1px solid var(--border);
  border-radius: 5px;
  background: var(--sheet);
  min-height: 54px;
  font-family: 'Red Hat Mono Variable', monospace;
  font-size: 12.5px;
}
.token-editor .cm-editor.cm-focused {
  outline: 2px solid var(--action);
  outline-offset: 2px;
}
.token-editor.invalid .cm-editor {
  border-color: var(--error);
}
.token-editor .cm-content {
  padding: 5px 0;
  caret-color: var(--ink);
  line-height: 1.8;
}
.token-editor .cm-scroller {
  font-family: inherit;
  max-height: 200px;
}
.token-editor .cm-line {
  padding: 0 9px;
  overflow-wrap: anywhere;
}
.token-editor.off .cm-editor {
  background: var(--tint);
}
.cm-token-host {
  font-weight: 700;
}
.cm-token-ours {
  background: var(--chip);
  color: var(--chip-ink);
  padding: 1px 5px 1px 10px;
  border-radius: 0 3px 3px 0;
  clip-path: polygon(0 0, 100% 0, 100% 100%, 0 100%, 5px 50%);
}
.cm-token-theirs {
  border: 1px dashed var(--border);
  padding: 0 3px;
}
.token-editor .cm-tooltip,
.cm-tooltip.cm-tooltip-autocomplete,
.cm-tooltip.cm-tooltip-lint {
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--border);
  border-radius: 5px;
}
.cm-tooltip-autocomplete.cm-tooltip > ul > li {
  padding: 3px 8px !important;
}
.cm-tooltip-autocomplete.cm-tooltip > ul > li[aria-selected] {
  background: var(--tint);
  color: var(--ink);
}
.cm-tooltip-autocomplete .cm-completionDetail {
  font-style: normal;
  color: var(--quiet);
  font-family: 'Public Sans Variable', sans-serif;
}
.cm-diagnostic-error {
  border-left-color: var(--error) !important;
}
.cm-diagnosticAction {
  background: var(--action) !important;
  color: var(--on-action) !important;
}
</style>
