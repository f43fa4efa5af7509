export interface Cluster {
  /** Of a database of it. */
  url: (name: string) => string;
  port: number;
  stop: (mode?: 'fast' | 'immediate') => void;
  start: () => boolean;
  createDatabase: (name: string) => void;
}
export function startCluster(folder: string, options?: { throwaway?: boolean }): Promise<Cluster>;
export function startReplica(folder: string, of: Cluster): Promise<Cluster>;
