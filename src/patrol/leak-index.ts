import type { Inside } from './tour.js';
import { eachWindow, windowHash, windowLength, type Words } from './words.js';

/** Words in a row that stand in a text and behind a lock. */
export interface Run {
  /** The place in the text, in words. */
  readonly at: number;
  readonly length: number;
  readonly inside: Inside;
}

/** Finds what is told behind the locks in any text. */
export interface LeakIndex {
  /** Runs of at least so many words, the longest first; of each inside place at most one. */
  runsIn(words: Words, least?: number): Run[];
  /** Notes a text that everybody may read, to tell what all pages say from what one gives away. */
  notePage(words: Words): void;
  /** Notes a screen: what two of them say belongs to none of their pages. */
  noteScreen(words: Words): void;
  /** Leaves out for good what a text says, as a "not found" does that has the site's own menus. */
  leaveOut(words: Words): void;
  /** Leaves out what most open pages say, several screens do, and most locked pages do. */
  settle(): void;
  /** Words that are told behind the locks, and on no open page. */
  rareWords(open: ReadonlySet<number>): ReadonlyMap<string, ReadonlySet<number>>;
}

/** The shortest run that is no accident, in words. */
export const leastRun = 7;
/** What is told behind a lock in fewer words than this is looked for word by word. */
const shortText = 14;
/** The fewest words in a row that are looked for at all. */
const shortestRow = 4;

export function makeLeakIndex(insides: readonly Inside[]): LeakIndex {
  // Hash → who says it; of several, the first.
  const told = new Map<number, Inside>();
  const tellers = new Map<number, number>();
  const openPages = new Map<number, number>();
  const screens = new Map<number, number>();
  let pages = 0;
  const lengths = new Set([windowLength]);
  // Pages first: what data says of them is theirs.
  const isPage = (inside: Inside) => inside.facts.kind === 'page';
  const isMarked = ({ facts }: Inside) => facts.hasMain === true;
  const textOfPages = insides
    .filter(({ telling }) => telling.length > 0)
    .sort((one, other) => Number(isPage(other)) - Number(isPage(one)));
  for (const inside of textOfPages) {
    const seen = new Set<number>();
    const note = (hash: number) => {
      if (seen.has(hash)) return;
      seen.add(hash);
      if (!told.has(hash)) told.set(hash, inside);
      tellers.set(hash, (tellers.get(hash) ?? 0) + 1);
    };
    eachWindow(inside.telling, note);
    // A meeting point can be five words long.
    const count = inside.telling.length;
    if (inside.isSection && count < shortText) {
      for (const { start, length } of piecesOf(inside.telling)) {
        if (length >= windowLength || length < shortestRow) continue;
        lengths.add(length);
        note(windowHash(inside.telling, start, length));
      }
    }
  }

  const hits = (words: Words, length: number, found: (inside: Inside, at: number, hash: number) => void) => {
    eachWindow(
      words,
      (hash, at) => {
        const inside = told.get(hash);
        if (inside !== undefined) found(inside, at, hash);
      },
      length,
    );
  };

  /** Counts each hit of a text once. */
  const countIn = (words: Words, counts: Map<number, number>) => {
    const seen = new Set<number>();
    for (const length of lengths) {
      hits(words, length, (_, __, hash) => seen.add(hash));
    }
    for (const hash of seen) counts.set(hash, (counts.get(hash) ?? 0) + 1);
  };

  return {
    runsIn(words, least = leastRun) {
      const longest = new Map<Inside, Run>();
      for (const length of lengths) {
        let start = -1;
        let end = -1;
        let who: Inside | undefined;
        const close = () => {
          if (who === undefined) return;
          const run = { at: start, length: end - start, inside: who };
          const isLong = run.length >= least || (length < windowLength && run.length >= length);
          if (isLong && run.length > (longest.get(who)?.length ?? 0)) longest.set(who, run);
        };
        hits(words, length, (inside, at) => {
          if (at === end - length + 1) end = at + length;
          else {
            close();
            start = at;
            end = at + length;
            who = inside;
          }
        });
        close();
      }
      return [...longest.values()].sort((one, other) => other.length - one.length);
    },
    notePage(words) {
      pages++;
      countIn(words, openPages);
    },
    noteScreen(words) {
      countIn(words, screens);
    },
    leaveOut(words) {
      for (const length of lengths) {
        hits(words, length, (_, __, hash) => told.delete(hash));
      }
    },
    settle() {
      const mostOpen = Math.max(1, Math.ceil(pages * 0.3));
      const many = textOfPages.length;
      for (const [hash, inside] of told) {
        // Locked data may say what open pages say, as an index of the site does.
        const isOfOpen = !isPage(inside) && openPages.has(hash);
        // A teaser may stand on all pages too; but what is every page's is several locked pages'.
        const isShared = !isMarked(inside) || (tellers.get(hash) ?? 0) > 1;
        const isOnMostOpen = isShared && (openPages.get(hash) ?? 0) > mostOpen;
        const isOnMostLocked = many >= 4 && (tellers.get(hash) ?? 0) > many / 2;
        const isOnScreens = (screens.get(hash) ?? 0) > 1;
        if (isOfOpen || isOnMostOpen || isOnMostLocked || isOnScreens) told.delete(hash);
      }
    },
    rareWords(open) {
      const rare = new Map<string, Set<number>>();
      for (const { lock, telling } of textOfPages) {
        const words = rare.get(lock) ?? new Set();
        for (const word of telling) if (word !== 0 && !open.has(word)) words.add(word);
        rare.set(lock, words);
      }
      return rare;
    },
  };
}

/** The texts of a place between the breaks. */
function piecesOf(words: Words): { start: number; length: number }[] {
  const pieces: { start: number; length: number }[] = [];
  let start = 0;
  for (let at = 0; at <= words.length; at++) {
    if (at < words.length && words[at] !== 0) continue;
    if (at > start) pieces.push({ start, length: at - start });
    start = at + 1;
  }
  return pieces;
}
