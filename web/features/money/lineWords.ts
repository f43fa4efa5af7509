/** What the results of a comparison are called, and what each of them means. */
import type { LineKind } from '@tracheon/core/contract';

export const lineWords: Record<LineKind, { label: string; meaning: string }> = {
  missing_here: {
    label: 'Missing here',
    meaning: 'The network pays these, but Tracheon has no conversion. Their postbacks may be lost.',
  },
  missing_there: {
    label: 'Missing in the statement',
    meaning: 'Approved in Tracheon, but the statement does not have them.',
  },
  amount_differs: { label: 'Other amount', meaning: 'Both have them, with different amounts.' },
  status_differs: { label: 'Other status', meaning: 'Both have them, with different statuses.' },
  currency_differs: { label: 'Other currency', meaning: 'Both have them, in different currencies.' },
  unreadable: { label: 'Not readable', meaning: 'Tracheon could not read these rows, or not match them.' },
  repeated: { label: 'Repeated', meaning: 'An earlier row is about the same conversion.' },
  matched: { label: 'Matched', meaning: 'The statement and Tracheon agree.' },
};
