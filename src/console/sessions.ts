import { createHash, randomBytes } from 'node:crypto';
import { equalBytes } from '../core/passwords/shared-salt.js';
import { readPeople, type Person } from '../owner/people/people-file.js';

/** How long a session lasts without being used, and at most. In seconds. */
const idleEnd = 2 * 3600;
const absoluteEnd = 16 * 3600;
/** Most sessions at once; the oldest goes. */
const most = 500;

interface Session {
  readonly person: string;
  /** The number of the person’s sessions when it began: a higher one has ended it. */
  readonly number: number;
  readonly began: number;
  seen: number;
  /** What every change must bring along, so that no form from elsewhere works. */
  readonly token: string;
}

const digest = (secret: string) => createHash('sha256').update(secret).digest('base64url');

/** Who is signed in. Kept in memory alone: a restart signs everybody out. */
export class Sessions {
  readonly #sessions = new Map<string, Session>();

  constructor(
    private readonly policyFile: string,
    private readonly clock: () => number,
  ) {}

  /** Begins a session. @returns what the browser keeps */
  begin(person: Person): { readonly secret: string; readonly token: string } {
    const secret = randomBytes(32).toString('base64url');
    const token = randomBytes(32).toString('base64url');
    const now = this.clock();
    this.#sessions.set(digest(secret), { person: person.id, number: person.sessions, began: now, seen: now, token });
    const [oldest] = this.#sessions.keys();
    if (this.#sessions.size > most && oldest !== undefined) this.#sessions.delete(oldest);
    return { secret, token };
  }

  /**
   * Whose session it is, and its token; undefined where it is none, or has ended.
   * @param isUse - whether somebody does something by it, so that it goes on
   */
  async find(
    secret: string | undefined,
    isUse = true,
  ): Promise<{ readonly person: Person; readonly token: string } | undefined> {
    if (secret === undefined) return undefined;
    const key = digest(secret);
    const session = this.#sessions.get(key);
    if (session === undefined) return undefined;
    const now = this.clock();
    // By the file, at every request: whoever is taken out there is out.
    const { people } = await readPeople(this.policyFile);
    const person = people.find(({ id }) => id === session.person);
    const isOver = now - session.seen > idleEnd || now - session.began > absoluteEnd || now < session.began - 60;
    if (person?.sessions !== session.number || isOver) {
      this.#sessions.delete(key);
      return undefined;
    }
    if (isUse) session.seen = now;
    return { person, token: session.token };
  }

  end(secret: string | undefined): void {
    if (secret !== undefined) this.#sessions.delete(digest(secret));
  }
}

/** Whether a request brings the token of its session. */
export const isToken = (given: string | undefined, token: string): boolean =>
  given !== undefined && equalBytes(Buffer.from(digest(given)), Buffer.from(digest(token)));
