/** Runs one task and tells of its progress; whoever wants it to stop ends the worker. */
import '../../../base/withoutEval.ts';
import { runMany, type ManyTask } from './manyTask.ts';

self.onmessage = ({ data }: MessageEvent<ManyTask>) => {
  for (const news of runMany(data)) self.postMessage(news);
};
