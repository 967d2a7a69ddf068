import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { bytesOf } from '../core/letters.js';
import type { Policy } from '../core/policy/types.js';
import { escapeHtml } from '../core/screen/html.js';
import { screenLanguages } from '../core/screen/languages.js';
import { doorHash } from '../core/sealing/doors.js';
import type { PlanContext, Planned, PlannedPart } from './plan.js';
import { noticePage, scriptAt } from './screens.js';

/** The file that hosts answer with where they have nothing. */
const missingPage = '/404.html';

/**
 * What is sealed and is no page: at its address a host has nothing, so its page for that asks for the password.
 * Without those at whose place nothing is to be seen, or that lead elsewhere.
 */
export const isAskedForByMissingPage = (plan: Planned): boolean =>
  plan.kind === 'sealed' &&
  plan.type !== 'text/html' &&
  plan.lock !== undefined &&
  typeof plan.lock.outsiders !== 'object';

/**
 * The host’s page for what it does not have, with the script that finds out whether it is sealed. It is given at
 * addresses of any depth, so that nothing in it can be said from where it lies.
 */
function withMissingScript(body: Buffer, base: string): Buffer {
  const letters = body.toString('latin1');
  const end = letters.toLowerCase().lastIndexOf('</body');
  const at = end === -1 ? letters.length : end;
  return Buffer.from(
    bytesOf(
      `${letters.slice(0, at)}<script src="${base}${scriptAt.slice(1)}" data-missing></script>\n${letters.slice(at)}`,
    ),
  );
}

/** One for a site that has none: a number, and the way home. */
const plainMissingPage = (policy: Policy, base: string): Buffer =>
  Buffer.from(
    noticePage(
      policy,
      404,
      `<a class="home" href="${base}">${escapeHtml(screenLanguages(policy.site.languages)[0].words.home)}</a>`,
      base,
    ),
  );

/** Which screen asks for what: a door and, joined, the hashes of the paths behind it. */
export class DoorList {
  readonly #byDoor = new Map<string, string[]>();

  async add(path: string, area: string, lock: string): Promise<void> {
    const hash = await doorHash(path);
    const door = `${area} ${lock}`;
    const known = this.#byDoor.get(door);
    if (known === undefined) this.#byDoor.set(door, [hash]);
    else known.push(hash);
  }

  get text(): string | undefined {
    if (this.#byDoor.size === 0) return undefined;
    const all = [...this.#byDoor].sort(([one], [other]) => (one < other ? -1 : 1));
    return `${JSON.stringify(Object.fromEntries(all.map(([door, hashes]) => [door, hashes.sort().join('')])))}\n`;
  }
}

/** The page for what is not there, which asks for what is sealed and is no page; one is made where the site has none. */
export function withMissingPage({ folder, policy, base }: PlanContext, planned: readonly Planned[]): Planned[] {
  if (!planned.some(isAskedForByMissingPage)) return [...planned];
  const own = planned.find(({ path }) => path === missingPage);
  const changed = (body: Buffer, parts: readonly PlannedPart[] = []): Planned => ({
    path: missingPage,
    type: 'text/html',
    kind: 'changed',
    body: withMissingScript(body, base),
    parts,
  });
  if (own === undefined) return [...planned, changed(plainMissingPage(policy, base))];
  // One that is locked itself says nothing to anybody.
  if (own.kind !== 'open' && own.kind !== 'changed') return [...planned];
  const asks =
    own.kind === 'open' ? changed(readFileSync(join(folder, missingPage))) : changed(Buffer.from(own.body), own.parts);
  return planned.map((plan) => (plan === own ? asks : plan));
}
