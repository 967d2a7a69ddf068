import { Option, type Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import type { GuardEvent } from '../guard/events.js';
import type { Guard } from '../guard/guard.js';
import { Health, startHealth } from '../server/health.js';
import { sharedHashingQueue } from '../stores/hasher.js';
import { paint } from './output.js';
import { portOf, urlAt } from './ports.js';
import { startTogether, type Started } from './started.js';

/** Options of commands that go on running as services. */
export interface OperationOptions {
  readonly healthPort?: string;
  readonly healthHost?: string;
  readonly health?: boolean;
  readonly log?: string;
  readonly patience?: string;
}

/** Adds them to a command. */
export function takeOperations(command: Command): Command {
  return command
    .option(
      '--health-port <port>',
      'where balancers ask for /_dorlin/ready and /_dorlin/alive, and Prometheus for /metrics',
    )
    .addOption(new Option('--health-host <address>', 'on which address that listens').default('127.0.0.1'))
    .option('--health', 'answer /_dorlin/ready and /_dorlin/alive at the site’s own port as well')
    .option('--log <file>', 'structured lines for collectors, - for standard output; opened anew on SIGHUP')
    .addOption(
      new Option(
        '--patience <seconds>',
        'how long what is being answered may go on, when told to end by SIGTERM',
      ).default('10'),
    );
}

/** What a service is watched by. */
export interface Operations {
  readonly health: Health;
  /** Whether health is told at the site's own port too. */
  readonly isOnSite: boolean;
  readonly patience: number;
  /** Counts what a guard answers, and how long it takes, where somebody asks for that. */
  readonly measured: <Measured extends Guard>(guard: Measured) => Measured;
  readonly onEvent: (event: GuardEvent, policy?: Policy) => void;
  readonly policyChanged: (policy: Policy | undefined) => void;
  readonly broken: (problems: string, site?: string) => void;
  /** The shared store can be reached, or why not. */
  readonly store: (problem: string | undefined) => void;
  readonly tellVersion: (version: () => number) => void;
  readonly note: (type: string, more?: object) => void;
  /** Where health is told, if it is. */
  readonly healthAt: string | undefined;
  readonly close: () => Promise<void>;
}

const levels: Readonly<Partial<Record<GuardEvent['type'], 'warn' | 'error'>>> = {
  failed: 'error',
  'request-failed': 'error',
  'section-missing': 'error',
  'page-uncut': 'error',
  busy: 'warn',
  waiting: 'warn',
  wrong: 'warn',
};

/** Where health and figures are asked for, as it is said at the start. */
export const healthLine = (healthAt: string): string =>
  paint.dim(`  Health and figures: ${healthAt}_dorlin/ready, ${healthAt}metrics`);

/**
 * Starts what a service is watched by, as far as it is asked for.
 * @throws DorlinError `call-wrong`, `port-taken`, `file-unusable`
 */
export async function startOperations(options: OperationOptions, isShared: boolean): Promise<Operations> {
  return startTogether((started) => operationsWith(started, options, isShared));
}

async function operationsWith(started: Started, options: OperationOptions, isShared: boolean): Promise<Operations> {
  const patience = Number(options.patience ?? 10);
  if (!(patience >= 0 && patience <= 3600)) {
    throw new DorlinError('call-wrong', `\`${options.patience ?? ''}\` is no number of seconds, from 0 to 3600.`);
  }
  const port = portOf(options.healthPort);
  const health = new Health();
  const log = options.log === undefined ? undefined : await started.add(openLog(options.log));
  let storeProblem: string | undefined;
  const metrics =
    port === undefined
      ? undefined
      : (await import('../server/metrics.js')).makeMetrics({
          hashing: sharedHashingQueue.load,
          ...(isShared && { isStoreThere: () => storeProblem === undefined }),
        });
  const host = options.healthHost ?? '127.0.0.1';
  const server =
    port === undefined
      ? undefined
      : await started.add(startHealth({ health, metrics: metrics?.text, host, port, mayMove: false }));
  const siteOf = (policy: Policy | undefined) => policy && { site: policy.site.id ?? policy.site.name };
  return {
    health,
    isOnSite: options.health === true,
    patience,
    measured: metrics?.measured ?? ((guard) => guard),
    onEvent: (event, policy) => {
      metrics?.count(event);
      log?.write(levels[event.type] ?? 'info', { ...siteOf(policy), ...event });
    },
    policyChanged: (policy) => {
      metrics?.policyChanged();
      health.problem('policy', undefined);
      log?.write('info', { ...siteOf(policy), type: 'policy-changed' });
    },
    broken: (problems, site) => {
      metrics?.broken();
      health.problem('policy', 'a changed policy is broken; the one before it stays in force');
      log?.write('error', { site, type: 'policy-broken', problems });
    },
    store: (problem) => {
      storeProblem = problem;
      health.problem(
        'store',
        problem === undefined ? undefined : 'the shared store cannot be reached; nobody new is let in',
      );
      log?.write(problem === undefined ? 'info' : 'error', {
        type: problem === undefined ? 'store-back' : 'store-away',
        problem,
      });
    },
    tellVersion: (version) => metrics?.tellVersion(version),
    note: (type, more) => {
      log?.write('info', { type, ...more });
    },
    healthAt: server && urlAt(host, server.port),
    close: started.close,
  };
}

/** A log as collectors read it: a JSON object a line, with `level` as a word and `time` as RFC 3339. */
async function openLog(file: string) {
  const { default: pino } = await import('pino');
  const destination = pino.destination(
    file === '-' ? { dest: 1, sync: false } : { dest: file, sync: false, mkdir: true, mode: 0o600 },
  );
  await new Promise<void>((resolve, reject) => {
    if (file === '-') {
      resolve();
      return;
    }
    destination.once('ready', resolve);
    destination.once('error', (cause) => {
      reject(new DorlinError('file-unusable', `The log ${file} cannot be written.`, { cause }));
    });
  });
  // A disk that is full must not end what it tells of.
  destination.on('error', () => undefined);
  const logger = pino(
    {
      base: { pid: process.pid },
      timestamp: pino.stdTimeFunctions.isoTime,
      formatters: { level: (label) => ({ level: label }) },
    },
    destination,
  );
  const reopen = () => {
    if (file !== '-') destination.reopen();
  };
  process.on('SIGHUP', reopen);
  return {
    write: (level: 'info' | 'warn' | 'error', line: object) => {
      logger[level](line);
    },
    close: () => {
      process.off('SIGHUP', reopen);
      try {
        destination.flushSync();
      } catch {
        // Nothing is left that could be told of it.
      }
      if (file !== '-') destination.end();
    },
  };
}
