/**
 * Passwords that attackers try first: one of these words or a few in a row, with or without digits and signs around them,
 * also with signs in place of letters; a run of keys; one to three characters repeated.
 */
const WORDS = `
password passwort passw pass motdepasse wachtwoord contrasena senha secret geheim secreto changeme default temporary temp
welcome welkom willkommen bienvenue hello hallo login signin logon letmein enter open access admin administrator root user
guest test testing tester master manager superuser super system server office company business service support owner member
iloveyou iloveu love loveyou lovely sweet sweetheart honey darling baby babygirl babyboy angel princess prince queen king
monkey dragon tiger lion bear eagle falcon wolf shadow phoenix panther dolphin butterfly bird horse cat dog kitty puppy
football soccer baseball basketball hockey golf tennis racing rugby cricket chelsea arsenal liverpool barcelona madrid
sunshine summer winter autumn spring flower rainbow star stars moon sky ocean beach island forest river mountain
michael jordan jennifer jessica charlie daniel thomas andrew joshua matthew anthony robert david james john maria anna laura
batman superman spiderman ninja pokemon matrix hunter killer soldier warrior samurai pirate wizard hacker ghost
computer internet keyboard laptop mobile phone samsung google facebook linux windows macbook
january february march april may june july august september october november december
monday tuesday wednesday thursday friday saturday sunday
chocolate coffee pepper cookie cheese banana orange apple cherry lemon vanilla whiskey
freedom forever whatever nothing something trustno trustnoone jesus blessed family mother father sister brother friend
correct horse battery staple correcthorsebatterystaple qwerty qwertz azerty asdf zxcv abc abcd abcdef one two three
the my is your and you me i a of for to it this that
`
  .trim()
  .split(/\s+/)
  .sort((a, b) => b.length - a.length);

/** Runs of keys and of the alphabet, both ways. */
const RUNS = [
  '1234567890',
  'qwertyuiop',
  'qwertzuiop',
  'azertyuiop',
  'asdfghjkl',
  'zxcvbnm',
  'yxcvbnm',
].concat('abcdefghijklmnopqrstuvwxyz');
const BOTH_WAYS = RUNS.flatMap((run) => [run + run, [...(run + run)].reverse().join('')]);

const LETTERS: Record<string, string> = {
  '0': 'o',
  '1': 'i',
  '3': 'e',
  '4': 'a',
  '5': 's',
  '7': 't',
  '@': 'a',
  $: 's',
  '!': 'i',
};
/** Longer ones are no words any more. */
const MAX_LOOKED_AT = 64;

export function isCommonPassword(password: string): boolean {
  const text = password.normalize('NFKC').toLowerCase();
  if (text.length > MAX_LOOKED_AT) return new Set(text).size <= 2;
  if (new Set(text).size <= 3 || isRepeated(text)) return true;
  if (BOTH_WAYS.some((run) => run.includes(text)) || isMadeOf(text, keyRuns)) return true;
  const letters = (t: string): string => t.replace(/[^a-z]/g, '');
  const read = (t: string): string => letters([...t].map((c) => LETTERS[c] ?? c).join(''));
  const bare = text.replace(/^[^a-z]+/, '').replace(/[^a-z]+$/, '');
  return [bare, letters(text), read(text), read(bare)].some(
    (t) => t !== '' && (BOTH_WAYS.some((run) => run.includes(t)) || isMadeOf(t, WORDS)),
  );
}

/** A short piece over and over. */
function isRepeated(text: string): boolean {
  for (let n = 1; n <= text.length / 2; n++)
    if (
      text ===
      text
        .slice(0, n)
        .repeat(Math.ceil(text.length / n))
        .slice(0, text.length)
    )
      return true;
  return false;
}

/** Four keys in a row, wherever they begin. */
const keyRuns = [
  ...new Set(
    BOTH_WAYS.flatMap((run) => Array.from({ length: run.length - 3 }, (_, i) => run.slice(i, i + 4))),
  ),
];

/** At most four pieces of a list, and nothing else. Every piece is tried at each place once. */
function isMadeOf(text: string, pieces: readonly string[]): boolean {
  let ends = new Set([0]);
  for (let n = 0; n < 4; n++) {
    const next = new Set<number>();
    for (const at of ends)
      for (const piece of pieces)
        if (text.startsWith(piece, at)) {
          if (at + piece.length === text.length) return true;
          next.add(at + piece.length);
        }
    ends = next;
  }
  return false;
}
