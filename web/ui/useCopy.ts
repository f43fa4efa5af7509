/** Copies a text and says so; says what to do where the browser refuses. */
import { useToast } from 'primevue/usetoast';

const SHOWN = 90;

export function useCopy(): (text: string, hint?: string) => Promise<void> {
  const toast = useToast();
  return async (text, hint) => {
    // What is not there yet is not copied over what the clipboard holds.
    if (text === '') return;
    try {
      await navigator.clipboard.writeText(text);
      toast.add({
        severity: 'secondary',
        summary: 'Copied',
        detail: hint ?? text.slice(0, SHOWN),
        life: 3000,
      });
    } catch {
      toast.add({
        severity: 'error',
        summary: 'Your browser blocked copying',
        detail: 'Select the text and copy it manually.',
        life: 6000,
      });
    }
  };
}
