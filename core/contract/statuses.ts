/**
 * The statuses of a conversion. Each says where it may move, in which balance its amount stands, whether it is a decision,
 * and how screens show it. The fold, the sums, SQL and the screens read this one record.
 */
export type ConversionStatus = 'pending' | 'approved' | 'rejected' | 'reversed';

interface Status {
  /** By any later postback. `movesWhenTimed`: only by one that says when the status changed. */
  moves: readonly ConversionStatus[];
  movesWhenTimed: readonly ConversionStatus[];
  /** The kind of ledger entries in which its amount stands; null: in none. */
  balance: 'hold' | 'earn' | null;
  /** Approved, rejected and reversed make the approval rate. */
  isDecided: boolean;
  /** The word for its amount; the status itself where it has none. */
  amountWord: string;
  sign: string;
  tone: 'plain' | 'hold' | 'quiet' | 'loss';
}

export const statusOf: Readonly<Record<ConversionStatus, Status>> = {
  pending: {
    moves: ['approved', 'rejected', 'reversed'],
    movesWhenTimed: [],
    balance: 'hold',
    isDecided: false,
    amountWord: 'on hold',
    sign: '◌',
    tone: 'hold',
  },
  approved: {
    moves: ['reversed', 'rejected'],
    movesWhenTimed: ['pending'],
    balance: 'earn',
    isDecided: true,
    amountWord: 'earned',
    sign: '●',
    tone: 'plain',
  },
  rejected: {
    moves: ['approved'],
    movesWhenTimed: ['pending'],
    balance: null,
    isDecided: true,
    amountWord: 'rejected',
    sign: '○',
    tone: 'quiet',
  },
  reversed: {
    moves: ['approved'],
    movesWhenTimed: [],
    balance: null,
    isDecided: true,
    amountWord: 'reversed',
    sign: '↩',
    tone: 'loss',
  },
};
export const statuses = ['pending', 'approved', 'rejected', 'reversed'] as const satisfies ConversionStatus[];

/** The network took the conversion back. Tracheon notes an amount that comes with it, and does not count it. */
export const isTakenBack = (status: ConversionStatus): boolean => statusOf[status].balance === null;
/** It counts as a conversion if its event type does: the network has not taken it back. */
export const isCounted = (status: ConversionStatus): boolean => !isTakenBack(status);

/** A list for SQL's IN: of names that are the code's own. */
export const sqlStatuses = (which: (status: ConversionStatus) => boolean): string =>
  statuses
    .filter(which)
    .map((s) => `'${s}'`)
    .join(', ');
