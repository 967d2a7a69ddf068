/**
 * Dorlin in servers of fetch style: Hono, Deno, Bun, workers. Nothing in it needs Node.
 * @module
 */
export { guardFetch, type FetchHandler, type FetchOptions, type GuardedFetch, type Opened } from './adapters/fetch.js';
export { guardHono, type GuardHono, type HonoContext } from './adapters/hono.js';
export { guardFromText, type TextGuardOptions } from './stores/guard-from-text.js';
export { boundedCounters } from './stores/counters-bounded.js';
export { webHasher } from './stores/web-hasher.js';
