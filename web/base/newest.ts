/**
 * Only the newest question counts: answers do not arrive in the order in which they were asked for, and one that is overtaken
 * by a newer question must not be shown under it.
 */
export function newest() {
  let asked = 0;
  return async <T>(
    question: Promise<T>,
    show: (answer: T) => void,
    fail: (why: string) => void,
  ): Promise<void> => {
    const mine = ++asked;
    try {
      const answer = await question;
      if (mine === asked) show(answer);
    } catch (error) {
      if (mine === asked) fail((error as Error).message);
    }
  };
}
