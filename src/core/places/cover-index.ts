import { maxPathLength } from './request-target.js';
import type { Place } from './place.js';
import { matchPattern } from './place.js';

/** What a lock says of a place: it is under the lock, or it is left out of it. */
export interface Statement<Lock> {
  readonly lock: Lock;
  readonly says: 'covers' | 'except';
  readonly place: Place;
}

/** A statement that speaks about a path, with how closely it names it; greater is closer. */
export interface Spoken<Lock> extends Statement<Lock> {
  readonly closeness: number;
}

/**
 * Finds the locks of a path among any number of places in time that depends on the depth of the
 * path alone (and on the number of patterns, where there are any).
 */
export interface CoverIndex<Lock> {
  /**
   * The locks that decide over a path: of those covering it, the ones that name it most closely.
   * An `except` takes the path out of its own lock, where it names the path more closely than
   * that lock's covers do; every other lock still counts.
   *
   * @param counts - leaves out locks that do not count at the moment; all do, if left out
   */
  nearest(path: string, counts?: (lock: Lock) => boolean): readonly Lock[];
  /** Everything that is said about a path, closest first; `nearest` follows from it. */
  statements(path: string): readonly Spoken<Lock>[];
}

// Closeness: page, then page pattern, then folders by depth (a literal before a pattern), then site.
const pageCloseness = 1_000_000;
const pagePatternCloseness = 999_999;
const folderCloseness = (depth: number, isPattern: boolean) => 2 * depth + (isPattern ? 0 : 1);
const siteCloseness = 0;

interface Level<Lock> {
  covers: Lock[];
  excepts: Lock[];
  statements: Statement<Lock>[];
}

const none: readonly never[] = [];
const emptyLevel = <Lock>(): Level<Lock> => ({ covers: [], excepts: [], statements: [] });

/** Builds the index. The order of the statements is the order of equally close ones in answers. */
export function coverIndex<Lock>(statements: Iterable<Statement<Lock>>): CoverIndex<Lock> {
  const pages = new LevelMap<Lock>();
  const folders = new LevelMap<Lock>();
  const site: Level<Lock> = emptyLevel();
  const patterns: Statement<Lock>[] = [];

  for (const statement of statements) {
    const { place } = statement;
    if (place.kind === 'page') pages.add(place.path, statement);
    else if (place.kind === 'folder') folders.add(place.path, statement);
    else if (place.kind === 'site') add(site, statement);
    // A section leaves its page open.
    else if (place.kind === 'section') continue;
    else patterns.push(statement);
  }
  pages.trim();
  folders.trim();

  /** The levels that speak about a path, closest first. */
  function levelsOf(path: string): Found<Lock>[] {
    const found: Found<Lock>[] = [];
    const page = pages.get(path, path.length);
    if (page !== undefined) found.push({ level: page, closeness: pageCloseness });
    for (let end = path.length; end > 0; end = path.lastIndexOf('/', end - 1)) {
      const level = folders.get(path, end);
      if (level !== undefined) {
        found.push({ level, closeness: folderCloseness(depthOf(path, end), false) });
      }
    }
    if (patterns.length > 0) {
      found.push(...matchedLevels(patterns, path));
      found.sort((one, other) => other.closeness - one.closeness);
    }
    if (site.statements.length > 0) found.push({ level: site, closeness: siteCloseness });
    return found;
  }

  return {
    nearest(path, counts) {
      let excepted: ReadonlySet<Lock> | undefined;
      if (patterns.length > 0) {
        for (const { level } of levelsOf(path)) {
          const locks = countingAt(level, excepted, counts);
          if (locks.length > 0) return locks;
          excepted = withExcepted(excepted, level);
        }
        return none;
      }
      // The same levels without a list of them, as this is done at every request.
      const page = pages.get(path, path.length);
      if (page !== undefined) {
        const locks = countingAt(page, excepted, counts);
        if (locks.length > 0) return locks;
        excepted = withExcepted(excepted, page);
      }
      for (let end = path.length; end > 0; end = path.lastIndexOf('/', end - 1)) {
        const level = folders.get(path, end);
        if (level === undefined) continue;
        const locks = countingAt(level, excepted, counts);
        if (locks.length > 0) return locks;
        excepted = withExcepted(excepted, level);
      }
      return countingAt(site, excepted, counts);
    },
    statements(path) {
      return levelsOf(path).flatMap(({ level, closeness }) =>
        level.statements.map((statement) => ({ ...statement, closeness })),
      );
    },
  };
}

/** The locks of a level that count, and that no closer statement has left out. */
function countingAt<Lock>(
  { covers }: Level<Lock>,
  excepted: ReadonlySet<Lock> | undefined,
  counts: ((lock: Lock) => boolean) | undefined,
): readonly Lock[] {
  const left = excepted === undefined ? covers : covers.filter((lock) => !excepted.has(lock));
  return counts === undefined ? left : left.filter(counts);
}

function withExcepted<Lock>(
  excepted: ReadonlySet<Lock> | undefined,
  { excepts }: Level<Lock>,
): ReadonlySet<Lock> | undefined {
  return excepts.length === 0 ? excepted : new Set([...(excepted ?? []), ...excepts]);
}

interface Found<Lock> {
  readonly level: Level<Lock>;
  readonly closeness: number;
}

/**
 * Levels by path. To cut a front off a path and hash it costs more than all the rest, so it is
 * first asked whether any path of that length is here: `npm run bench decision` shows the gain.
 */
class LevelMap<Lock> {
  readonly #levels = new Map<string, Level<Lock>>();
  readonly #lengths = new Uint8Array(maxPathLength + 1);

  /** The level of the first `length` letters of a path. */
  get(path: string, length: number): Level<Lock> | undefined {
    // Undefined for what is longer than any path should be: that is looked up all the same.
    if (this.#lengths[length] === 0) return undefined;
    return this.#levels.get(length === path.length ? path : path.slice(0, length));
  }

  add(path: string, statement: Statement<Lock>): void {
    let level = this.#levels.get(path);
    if (level === undefined) {
      this.#levels.set(path, (level = emptyLevel()));
      this.#lengths[path.length] = 1;
    }
    add(level, statement);
  }

  /** Arrays that were pushed to keep room for some 17 more, and there can be 100,000 of them. */
  trim(): void {
    for (const level of this.#levels.values()) {
      level.covers = level.covers.slice();
      level.excepts = level.excepts.slice();
      level.statements = level.statements.slice();
    }
  }
}

/** Adds a statement, unless the one before it is the same; what one lock says comes in a row. */
function add<Lock>(level: Level<Lock>, statement: Statement<Lock>): void {
  const { lock, says, place } = statement;
  const last = level.statements.at(-1);
  if (last?.lock === lock && last.says === says && last.place.text === place.text) return;
  level.statements.push(statement);
  const side = says === 'covers' ? level.covers : level.excepts;
  if (side.at(-1) !== lock) side.push(lock);
}

function matchedLevels<Lock>(patterns: readonly Statement<Lock>[], path: string): Found<Lock>[] {
  const parts = path === '' ? [] : path.slice(1).split('/');
  const byCloseness = new Map<number, Level<Lock>>();
  for (const statement of patterns) {
    const { place } = statement;
    if (place.kind !== 'page-pattern' && place.kind !== 'folder-pattern') continue;
    const isFolder = place.kind === 'folder-pattern';
    const taken = matchPattern(place.parts, parts, isFolder);
    if (taken === undefined) continue;
    const closeness = isFolder ? folderCloseness(taken, true) : pagePatternCloseness;
    let level = byCloseness.get(closeness);
    if (level === undefined) byCloseness.set(closeness, (level = emptyLevel()));
    add(level, statement);
  }
  return [...byCloseness].map(([closeness, level]) => ({ level, closeness }));
}

/** How many parts the first `end` letters of a path have. */
function depthOf(path: string, end: number): number {
  let depth = 0;
  for (let at = 0; at >= 0 && at < end; at = path.indexOf('/', at + 1)) depth++;
  return depth;
}
