import { createServer, type RequestListener, type ServerResponse } from 'node:http';
import { listening, type Listening } from './listen.js';

/** Whether a process can be sent visitors, for who asks before sending them: balancers, and what restarts processes. */
export class Health {
  #state: 'starting' | 'ready' | 'ending' = 'starting';
  readonly #problems = new Map<string, string>();

  /** Says that something is not as it should be, or is again. It is served all the same, as well as it can be. */
  problem(name: string, what: string | undefined): void {
    if (what === undefined) this.#problems.delete(name);
    else this.#problems.set(name, what);
  }
  /** From now on visitors are answered. */
  begins(): void {
    this.#state = 'ready';
  }
  /** From now on no new visitors are to be sent here. */
  ends(): void {
    this.#state = 'ending';
  }
  get isReady(): boolean {
    return this.#state === 'ready';
  }
  get state(): string {
    return this.#state;
  }
  /** In lines, for people; not for visitors. */
  get words(): string {
    return [this.#state, ...this.#problems.values()].join('\n');
  }
}

/** What is asked of a process, and by whom it is not to be seen: visitors. */
export interface HealthOptions {
  readonly health: Health;
  /** Whether visitors may ask too: then it is not said what is amiss. @default no */
  readonly isPublic?: boolean | undefined;
  /** The figures, in Prometheus' text format; and their content type. */
  readonly metrics?: (() => Promise<{ readonly type: string; readonly text: string }>) | undefined;
}

const prefix = '/_dorlin';

function answer(response: ServerResponse, status: number, text: string, type = 'text/plain; charset=utf-8'): void {
  response.writeHead(status, { 'content-type': type, 'cache-control': 'no-store' }).end(text);
}

/**
 * Answers `/_dorlin/alive`, 200 as long as the process runs; `/_dorlin/ready`, 200 as long as visitors may
 * be sent, else 503; and `/metrics`.
 */
export function healthListener({ health, metrics, isPublic = false }: HealthOptions): RequestListener {
  return (request, response) => {
    const path = request.url?.split('?', 1)[0];
    if (request.method !== 'GET' && request.method !== 'HEAD') answer(response, 405, 'Ask with GET.\n');
    else if (path === `${prefix}/alive`) answer(response, 200, 'alive\n');
    else if (path === `${prefix}/ready`)
      answer(response, health.isReady ? 200 : 503, `${isPublic ? health.state : health.words}\n`);
    else if (path === '/metrics' && metrics !== undefined) {
      metrics().then(
        ({ type, text }) => {
          answer(response, 200, text, type);
        },
        () => {
          answer(response, 500, 'The figures could not be gathered.\n');
        },
      );
    } else answer(response, 404, `There are ${prefix}/ready, ${prefix}/alive and /metrics.\n`);
  };
}

/** Answers what is asked of the process, and leaves all else to the site. */
export function answersHealth(health: Health, site: RequestListener): RequestListener {
  const listener = healthListener({ health, isPublic: true });
  return (request, response) => {
    const isAsked = request.url === `${prefix}/alive` || request.url === `${prefix}/ready`;
    (isAsked ? listener : site)(request, response);
  };
}

/**
 * Answers at a port of their own, which no visitor reaches.
 * @throws DorlinError `port-taken`
 */
export async function startHealth(
  options: HealthOptions & Listening,
): Promise<{ readonly port: number; readonly close: () => Promise<void> }> {
  const server = createServer(healthListener(options));
  return listening(server, options);
}
