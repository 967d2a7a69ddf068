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
   */
  nearest(path: string): readonly Lock[];
  /** Everything that is said about a path, closest first; `nearest` follows from it. */
  statements(path: string): readonly Spoken<Lock>[];
}

// Closeness: page, then page pattern, then folders by depth (a literal before a pattern), then site.
const pageCloseness = 1_000_000;
const pagePatternCloseness = 999_999;
const folderCloseness = (depth: number, isPattern: boolean) => 2 * depth + (isPattern ? 0 : 1);
const siteCloseness = 0;

interface Level<Lock> {
  covers: readonly Lock[];
  excepts: readonly Lock[];
  statements: readonly Statement<Lock>[];
}

const none: readonly never[] = [];
const emptyLevel = <Lock>(): Level<Lock> => ({ covers: none, excepts: none, statements: none });

/** Builds the index. The order of the statements is the order of equally close ones in answers. */
export function coverIndex<Lock>(statements: Iterable<Statement<Lock>>): CoverIndex<Lock> {
  const pages = new Map<string, Level<Lock>>();
  const folders = new Map<string, Level<Lock>>();
  const site: Level<Lock> = emptyLevel();
  const patterns: Statement<Lock>[] = [];

  for (const statement of statements) {
    const { place } = statement;
    if (place.kind === 'page') add(levelAt(pages, place.path), statement);
    else if (place.kind === 'folder') add(levelAt(folders, place.path), statement);
    else if (place.kind === 'site') add(site, statement);
    else patterns.push(statement);
  }

  /** Calls with each level that speaks about the path, closest first, until told to stop. */
  function walk(path: string, visit: (level: Level<Lock>, closeness: number) => boolean): void {
    const page = pages.get(path);
    if (page !== undefined && visit(page, pageCloseness)) return;
    const matched = patterns.length === 0 ? none : matchedLevels(patterns, path);
    let nextMatched = 0;
    let folder = path;
    let depth = folders.size === 0 && matched.length === 0 ? 0 : depthOf(path);
    for (; depth > 0; depth--) {
      const level = folders.get(folder);
      const closeness = folderCloseness(depth, false);
      for (; ; nextMatched++) {
        const match = matched[nextMatched];
        if (match === undefined || match.closeness < closeness) break;
        if (visit(match.level, match.closeness)) return;
      }
      if (level !== undefined && visit(level, closeness)) return;
      folder = folder.slice(0, folder.lastIndexOf('/'));
    }
    for (const match of matched.slice(nextMatched)) {
      if (visit(match.level, match.closeness)) return;
    }
    if (site.statements.length > 0) visit(site, siteCloseness);
  }

  return {
    nearest(path) {
      let excepted: Lock[] | undefined;
      let found: readonly Lock[] = none;
      walk(path, ({ covers, excepts }) => {
        if (covers.length > 0) {
          const without = excepted;
          found = without === undefined ? covers : covers.filter((lock) => !without.includes(lock));
          if (found.length > 0) return true;
        }
        if (excepts.length > 0) excepted = [...(excepted ?? none), ...excepts];
        return false;
      });
      return found;
    },
    statements(path) {
      const spoken: Spoken<Lock>[] = [];
      walk(path, (level, closeness) => {
        spoken.push(...level.statements.map((statement) => ({ ...statement, closeness })));
        return false;
      });
      return spoken;
    },
  };
}

function levelAt<Lock>(levels: Map<string, Level<Lock>>, path: string): Level<Lock> {
  let level = levels.get(path);
  if (level === undefined) levels.set(path, (level = emptyLevel()));
  return level;
}

function add<Lock>(level: Level<Lock>, statement: Statement<Lock>): void {
  // Spread, not push: an array that was pushed to keeps room for 17, and there can be 100,000.
  level.statements = [...level.statements, statement];
  const side = statement.says === 'covers' ? 'covers' : 'excepts';
  if (!level[side].includes(statement.lock)) level[side] = [...level[side], statement.lock];
}

function matchedLevels<Lock>(
  patterns: readonly Statement<Lock>[],
  path: string,
): { level: Level<Lock>; closeness: number }[] {
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
  return [...byCloseness]
    .map(([closeness, level]) => ({ level, closeness }))
    .sort((one, other) => other.closeness - one.closeness);
}

function depthOf(path: string): number {
  let depth = 0;
  for (let at = path.indexOf('/'); at >= 0; at = path.indexOf('/', at + 1)) depth++;
  return depth;
}
