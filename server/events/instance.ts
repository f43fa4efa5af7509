/** Which process this is, in a name that no other one on this machine has or will have: process ID and its start. */
import { readFileSync } from 'node:fs';

/** Clock ticks from the machine's start to the process's (proc(5), field 22 of stat); empty where there is no /proc. */
function startTicks(pid: number | 'self'): string {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    // The second field is the program's name in parentheses, which may hold anything.
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19] ?? '';
  } catch {
    return '';
  }
}

export const thisInstance = (): string => `${process.pid}.${startTicks('self')}`;

/** True while the process of that name runs; a process ID that another program has by now does not count. */
export function isInstanceAlive(instance: string): boolean {
  const [pid = '', ticks = ''] = instance.split('.');
  if (!/^\d+$/.test(pid)) return false;
  try {
    process.kill(Number(pid), 0);
  } catch (error) {
    // EPERM: it is there, and belongs to somebody else.
    if ((error as NodeJS.ErrnoException).code !== 'EPERM') return false;
  }
  return ticks === '' || startTicks(Number(pid)) === ticks;
}
