export declare function needFree(
  place: { name: string; host: string; port: number },
  patienceMs?: number,
  onWait?: () => void,
): Promise<void>;
