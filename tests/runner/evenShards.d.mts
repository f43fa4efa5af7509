export const SECONDS: Readonly<Record<string, number>>;
export interface TestFile {
  path: string;
}
export default class EvenShards {
  sort(tests: readonly TestFile[]): TestFile[];
  shard(tests: readonly TestFile[], of: { shardIndex: number; shardCount: number }): TestFile[];
}
