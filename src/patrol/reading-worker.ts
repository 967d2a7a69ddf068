import { workerData } from 'node:worker_threads';
import { readAnswer } from './reading.js';
import { siteAddresses } from './site-addresses.js';
import type { ReadingTask } from './reader.js';

// Tinypool hands over its own data first.
const [, { origin, aliases }] = workerData as [unknown, { origin: string; aliases: string[] }];
const site = siteAddresses(origin, aliases);

/** Reads one answer, beside the thread that asks for the next. */
export default function read({ target, status, headers, body, telling }: ReadingTask) {
  return readAnswer(target, { status, headers, body: Buffer.from(body) }, site, telling);
}
