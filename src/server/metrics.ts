import { collectDefaultMetrics, Counter, Gauge, Histogram, Registry } from 'prom-client';
import type { GuardEvent } from '../guard/events.js';
import type { Guard } from '../guard/guard.js';
import type { Verdict } from '../guard/visit/visit.js';

/** The figures of one process, for Prometheus. Nothing in them is of one visitor. */
export interface Metrics {
  /** The same guard, counted and timed. */
  readonly measured: <Measured extends Guard>(guard: Measured) => Measured;
  /** Counts what happens at the locks. */
  readonly count: (event: GuardEvent) => void;
  /** Says that another policy counts. */
  readonly policyChanged: () => void;
  readonly broken: () => void;
  /** Tells the number of the policy that counts, where it has one. */
  readonly tellVersion: (version: () => number) => void;
  readonly text: () => Promise<{ readonly type: string; readonly text: string }>;
}

/** What is asked when the figures are. */
export interface MetricsSources {
  /** Passwords being hashed, and waiting for that. */
  readonly hashing: () => { readonly running: number; readonly waiting: number };
  /** Whether the shared store can be reached; undefined where there is none. */
  readonly isStoreThere?: (() => boolean) | undefined;
}

const verdictOf = (verdict: Verdict): string => (verdict.kind === 'answer' ? `answer ${verdict.status}` : verdict.kind);

export function makeMetrics({ hashing, isStoreThere }: MetricsSources): Metrics {
  const registry = new Registry();
  const registers = [registry];
  collectDefaultMetrics({ register: registry });
  const visits = new Counter({
    name: 'dorlin_visits_total',
    help: 'Visits by what became of them: open, let-in, missing, or the status of Dorlin’s own answer.',
    labelNames: ['verdict'],
    registers,
  });
  const seconds = new Histogram({
    name: 'dorlin_verdict_seconds',
    help: 'Time to a verdict, in seconds; hashing a password included.',
    buckets: [0.000_01, 0.000_05, 0.000_1, 0.000_5, 0.001, 0.005, 0.01, 0.05, 0.1, 0.5, 1, 5],
    registers,
  });
  const events = new Counter({
    name: 'dorlin_events_total',
    help: 'What happened at the locks, by type as in the journal: unlocked, wrong, waiting, …',
    labelNames: ['type'],
    registers,
  });
  const changes = new Counter({
    name: 'dorlin_policy_changes_total',
    help: 'Policies that came to count since the start.',
    registers,
  });
  const changedAt = new Gauge({
    name: 'dorlin_policy_changed_seconds',
    help: 'When the last policy came to count, in seconds since 1970.',
    registers,
  });
  const broken = new Counter({
    name: 'dorlin_policy_broken_total',
    help: 'Changed policies that could not be read, so that the one before stayed.',
    registers,
  });
  const queue = (name: string, help: string, value: () => number) =>
    new Gauge({
      name,
      help,
      registers,
      collect() {
        this.set(value());
      },
    });
  queue('dorlin_hashing_running', 'Passwords that are being hashed now.', () => hashing().running);
  queue('dorlin_hashing_waiting', 'Passwords that wait to be hashed.', () => hashing().waiting);
  if (isStoreThere !== undefined)
    queue('dorlin_store_up', '1 while the shared store can be reached, else 0.', () => (isStoreThere() ? 1 : 0));
  changedAt.setToCurrentTime();

  const told = (verdict: Verdict, start: number): Verdict => {
    visits.inc({ verdict: verdictOf(verdict) });
    seconds.observe((performance.now() - start) / 1000);
    return verdict;
  };
  return {
    measured: (guard) => ({
      ...guard,
      answer: (visit) => {
        const start = performance.now();
        const verdict = guard.answer(visit);
        return verdict instanceof Promise ? verdict.then((one) => told(one, start)) : told(verdict, start);
      },
    }),
    count: ({ type }) => {
      events.inc({ type });
    },
    policyChanged: () => {
      changes.inc();
      changedAt.setToCurrentTime();
    },
    broken: () => {
      broken.inc();
    },
    tellVersion: (version) => {
      queue('dorlin_policy_version', 'The version in the shared store of the policy that counts.', version);
    },
    text: async () => ({ type: registry.contentType, text: await registry.metrics() }),
  };
}
