import { mostQueries } from './site-addresses.js';

/** Where a walk ends, though more is known. */
export interface WalkLimits {
  /** Most addresses, of all walks together. */
  readonly pages: number;
  /** In milliseconds since 1970. */
  readonly until: number;
  /** Ends it before. */
  readonly stop?: AbortSignal | undefined;
  readonly atOnce: number;
}

/** Addresses still to be asked for, each once. */
export interface Frontier {
  add(target: string): void;
  /** How many were taken, and how many wait. */
  readonly done: number;
  readonly waiting: number;
  /** Known, but left out because of the limits. */
  readonly left: number;
  has(target: string): boolean;
  take(): string | undefined;
}

/** @param isMeant - which addresses are asked for at all */
export function makeFrontier(
  { pages, until, stop }: Pick<WalkLimits, 'pages' | 'until' | 'stop'>,
  isMeant: (target: string) => boolean,
): Frontier {
  const seen = new Set<string>();
  const queries = new Map<string, number>();
  const queue: string[] = [];
  let at = 0;
  let refused = 0;
  const isOver = () => Date.now() > until || stop?.aborted === true;
  return {
    add(target) {
      if (seen.has(target) || !isMeant(target)) return;
      const query = target.indexOf('?');
      if (query >= 0) {
        const path = target.slice(0, query);
        const count = (queries.get(path) ?? 0) + 1;
        if (count > mostQueries) return;
        queries.set(path, count);
      }
      seen.add(target);
      if (queue.length < pages) queue.push(target);
      else refused++;
    },
    get done() {
      return at;
    },
    get waiting() {
      return queue.length - at;
    },
    get left() {
      return refused + (isOver() ? queue.length - at : 0);
    },
    has: (target) => seen.has(target),
    take: () => (isOver() ? undefined : queue[at++]),
  };
}

/** Takes addresses one after the other, so many at once, until none is left. */
export async function walk(
  frontier: Frontier,
  atOnce: number,
  visit: (target: string) => Promise<void>,
): Promise<void> {
  let busy = 0;
  await new Promise<void>((resolve, reject) => {
    const next = () => {
      while (busy < atOnce) {
        const target = frontier.waiting > 0 ? frontier.take() : undefined;
        if (target === undefined) {
          if (busy === 0) resolve();
          return;
        }
        busy++;
        visit(target).then(() => {
          busy--;
          next();
        }, reject);
      }
    };
    next();
  });
}
