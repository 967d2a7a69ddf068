/** The owner's console: what a host mounts, and the types of its calls for a page of one's own. */
export { DorlinError, type DorlinErrorCode } from './core/errors.js';
export { createConsole, type ConsoleOptions, type OwnersConsole } from './console/console.js';
export type { CallInput, CallName, CallResult } from './console/calls.js';
export type { ConsoleAnswers, ConsoleResults, SessionStanding } from './console/results.js';
export type { ConsoleNews, ConsoleSite, PlayedView } from './console/context.js';
export type { SeenBy } from './owner/seen-by.js';
