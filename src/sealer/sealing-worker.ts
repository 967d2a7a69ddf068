import { doLargeTask, type LargeTask } from './large-file.js';

/** A part of the work on a large file, in a thread of its own. */
export default (task: LargeTask): Promise<Uint8Array> => doLargeTask(task);
