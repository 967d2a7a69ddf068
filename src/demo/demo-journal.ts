import { mkdir, writeFile } from 'node:fs/promises';
import { dirname, join, parse, resolve } from 'node:path';
import type { JournalEntry } from '../core/journal/entry.js';
import type { Policy } from '../core/policy/types.js';

/** How often the demo's passwords and links were used of a day, at most; the others never were. */
const uses: readonly { readonly lock: string; readonly opener: string; readonly most: number }[] = [
  { lock: 'opening', opener: 'op27', most: 3 },
  { lock: 'members', opener: 'k3v9', most: 9 },
  { lock: 'members', opener: 'h8tz', most: 1 },
  { lock: 'schools', opener: 's7qa', most: 4 },
  { lock: 'night-walk', opener: 'nw6k', most: 5 },
  { lock: 'press', opener: 'herald2026', most: 1 },
];

const paths: Readonly<Record<string, string>> = {
  opening: '/public-nights',
  members: '/members/log',
  schools: '/visits/teacher-pack',
  press: '/press/embargoed/',
  trustees: '/trustees/',
};

/** Numbers that look random and are always the same (mulberry32). */
function numbers(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296;
  };
}

/** Writes a made-up journal of the last month, so that there is something to look at. */
export async function writeDemoJournal(policyFile: string, policy: Policy, now: number): Promise<void> {
  const { journal } = policy;
  if (journal === undefined) return;
  const next = numbers(27);
  const file = resolve(dirname(policyFile), journal.file);
  await mkdir(dirname(file), { recursive: true, mode: 0o700 });
  for (let back = 30; back >= 1; back--) {
    const noon = new Date((now - back * 86_400) * 1000);
    const day = noon.toISOString().slice(0, 10);
    const weekend = noon.getUTCDay() % 6 === 0 ? 1.6 : 1;
    const entries: JournalEntry[] = [];
    const add = (entry: Omit<JournalEntry, 'at' | 'from'>) => {
      const seconds = Math.floor((7 + 16 * next()) * 3600);
      const at = new Date(Date.parse(`${day}T00:00Z`) + seconds * 1000).toISOString();
      const network = Math.floor(next() * 3);
      entries.push({ at, ...entry, from: ['192.0.2.0/24', '198.51.100.0/24', '2001:db8:51::/48'][network] });
    };
    for (const { lock, opener, most } of uses) {
      const label = policy.locks.get(lock)?.openers.get(opener)?.label;
      for (let count = Math.floor(next() * (most + 0.6) * weekend); count > 0; count--) {
        add({ type: 'asked', lock, path: paths[lock] });
        if (next() < 0.12) add({ type: 'wrong', lock });
        add({ type: opener === 'herald2026' ? 'entered' : 'unlocked', lock, opener, label });
      }
    }
    if (next() < 0.3) add({ type: 'closed', lock: 'trustees', path: paths['trustees'] });
    // Two days on which somebody was guessing.
    if (back === 9 || back === 10) {
      for (let count = 0; count < 24; count++) add({ type: count < 20 ? 'wrong' : 'waiting', lock: 'members' });
    }
    entries.sort((one, other) => (one.at < other.at ? -1 : 1));
    const { dir, name, ext } = parse(file);
    const path = join(dir, `${name}.${day}${ext}`);
    await writeFile(path, entries.map((entry) => `${JSON.stringify(entry)}\n`).join(''), {
      mode: 0o600,
    });
  }
}
