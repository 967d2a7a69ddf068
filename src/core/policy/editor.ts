import { isMap, isNode, isScalar, isSeq, type Document, type YAMLMap, type YAMLSeq } from 'yaml';
import { DorlinError } from '../errors.js';
import { refuseAlias } from './aliases.js';
import type { BypassDocument, LinkDocument, PasswordDocument } from './document.js';
import type { Policy } from './types.js';

/** A password as it stands in the policy. */
export type PasswordEntry = PasswordDocument;
/** A bypass as it is written; what does not matter is left out. */
export type BypassEntry = Partial<BypassDocument>;

/** The changes that commands make to a policy's text. Comments and order stay. */
export interface PolicyEditor {
  /** The policy as it was before the edit. */
  readonly before: Policy;
  addLock(name: string): void;
  removeLock(name: string): void;
  addPlace(lock: string, key: 'covers' | 'except', place: string): void;
  removePlace(lock: string, key: 'covers' | 'except', place: string): void;
  addPassword(lock: string, password: PasswordEntry): void;
  /**
   * Puts another password, or some new words about it, in the place of the one with this id; what is
   * `undefined` goes.
   */
  replacePassword(
    lock: string,
    id: string,
    password: { readonly [Key in keyof PasswordEntry]?: PasswordEntry[Key] | undefined },
  ): void;
  removePassword(lock: string, id: string): void;
  addLink(lock: string, link: LinkDocument): void;
  removeLink(lock: string, id: string): void;
  setBypass(name: string, bypass: BypassEntry): void;
  /** Takes a bypass away, and its name out of every lock. */
  removeBypass(name: string): void;
  /** What stands under a key as it is written; undefined where nothing does. */
  get(path: readonly string[]): unknown;
  /**
   * Sets what stands under a key, such as `['locks', 'members', 'until']`; what leads to it is made where
   * it is not there. Without a value the key goes, and what it leaves empty.
   */
  set(path: readonly string[], value: unknown): void;
  /** Adds an address to the sitemaps or the feeds that are sent without what is locked. */
  addListing(key: 'sitemaps' | 'feeds', path: string): void;
  /** Lets a bypass count at a lock. */
  addBypassTo(lock: string, name: string): void;
  removeBypassFrom(lock: string, name: string): void;
}

/** What stands at a path, in words. */
const wordsOf = ([group = '', name, ...more]: readonly string[]) =>
  group === 'locks' && name !== undefined && more.length === 0
    ? `the lock \`${name}\``
    : `\`${[group, name, ...more].filter(Boolean).join('.')}\``;

/** What a document is edited by. */
export function editorOf(document: Document, before: Policy): PolicyEditor {
  const lockAt = (name: string) => {
    const lock: unknown = document.getIn(['locks', name], true);
    refuseAlias(lock, `the lock \`${name}\``);
    refuseAlias(document.get('locks', true), 'the locks');
    if (isMap(lock)) return lock;
    throw new DorlinError('lock-unknown', `There is no lock \`${name}\`.`);
  };
  const listAt = (lock: string, key: string, isFlow: boolean): YAMLSeq => {
    const map: YAMLMap = lockAt(lock);
    const list: unknown = map.get(key, true);
    refuseAlias(list, `\`${key}\` of the lock \`${lock}\``);
    if (isSeq(list)) {
      // An empty `[]` would otherwise force its new entries onto one line.
      if (list.items.length === 0) list.flow = isFlow;
      return list;
    }
    const made = document.createNode([]);
    made.flow = isFlow;
    // Beside what it belongs to, rather than at the end of the lock.
    const after = key === 'except' ? map.items.findIndex((pair) => String(pair.key) === 'covers') : -1;
    const pair = document.createPair(key, made);
    map.items.splice(after < 0 ? map.items.length : after + 1, 0, pair);
    return made;
  };
  const positionOf = (list: YAMLSeq, id: string) =>
    list.items.findIndex((item) => isMap(item) && item.get('id') === id);
  const entryOf = (written: PasswordEntry | LinkDocument) => {
    const entry = document.createNode(written);
    entry.flow = true;
    return entry;
  };
  /** Takes an entry out of a list; where that empties it, out goes what needs not be there. */
  const removeEntry = (list: YAMLSeq, id: string) => {
    const at = positionOf(list, id);
    if (at >= 0) list.items.splice(at, 1);
    if (list.items.length === 0) list.flow = true;
    return at >= 0;
  };

  /** Takes the name of a bypass out of a lock. */
  const removeName = (lock: string, name: string) => {
    const list: unknown = lockAt(lock).get('bypass', true);
    if (!isSeq(list)) return;
    list.items = list.items.filter((item) => !isScalar(item) || item.value !== name);
    if (list.items.length === 0) lockAt(lock).delete('bypass');
  };

  return {
    before,
    addLock(name) {
      const lock = document.createNode({ covers: [] });
      const locks: unknown = document.get('locks', true);
      if (isMap(locks)) {
        locks.flow = false;
        locks.set(document.createNode(name), lock);
      } else document.set('locks', document.createNode({ [name]: lock }));
    },
    removeLock(name) {
      if (!document.hasIn(['locks', name])) lockAt(name);
      document.deleteIn(['locks', name]);
      const locks: unknown = document.get('locks', true);
      if (isMap(locks) && locks.items.length === 0) locks.flow = true;
    },
    addPlace(lock, key, place) {
      listAt(lock, key, true).add(document.createNode(place));
    },
    removePlace(lock, key, place) {
      const list = listAt(lock, key, true);
      list.items = list.items.filter((item) => (item as { value?: unknown } | null)?.value !== place);
      if (list.items.length === 0) {
        list.flow = true;
        if (key === 'except') lockAt(lock).delete(key);
      }
    },
    addPassword(lock, password) {
      listAt(lock, 'passwords', false).add(entryOf(password));
    },
    replacePassword(lock, id, password) {
      const list = listAt(lock, 'passwords', false);
      const entry: unknown = list.items[positionOf(list, id)];
      if (!isMap(entry)) throw unknownPassword(lock, id);
      // Key by key, so that a comment at the entry and keys unknown to the edit stay.
      for (const [key, value] of Object.entries(password)) {
        if (value === undefined) entry.delete(key);
        else entry.set(key, value);
      }
    },
    setBypass(name, bypass) {
      const entry = document.createNode(bypass);
      entry.flow = true;
      if (isMap(document.get('bypasses', true))) document.setIn(['bypasses', name], entry);
      else document.set('bypasses', document.createNode({ [name]: entry }));
    },
    removeBypass(name) {
      document.deleteIn(['bypasses', name]);
      for (const lock of before.locks.keys()) removeName(lock, name);
      const bypasses: unknown = document.get('bypasses', true);
      if (isMap(bypasses) && bypasses.items.length === 0) document.delete('bypasses');
    },
    get(path) {
      const found: unknown = document.getIn(path, true);
      const value: unknown = isNode(found) ? found.toJS(document) : undefined;
      return value;
    },
    set(path, value) {
      for (let length = 1; length < path.length; length++) {
        const at = path.slice(0, length);
        const found: unknown = document.getIn(at, true);
        refuseAlias(found, wordsOf(at));
        if (isMap(found)) continue;
        if (value === undefined) return;
        document.setIn(at, document.createNode({}));
        const made: unknown = document.getIn(at, true);
        // What lies deep is short, as `type: { family: serif }` is.
        if (isMap(made)) made.flow = length === path.length - 1 && path.length > 3;
      }
      if (value === undefined) {
        document.deleteIn(path);
        removeEmpty(document, path.slice(0, -1));
        return;
      }
      const node: unknown = document.createNode(value);
      if (isMap(node) || isSeq(node)) node.flow = true;
      const parent: unknown = document.getIn(path.slice(0, -1), true);
      const key = path.at(-1) ?? '';
      // Before what opens a lock, which is long.
      const before =
        isMap(parent) && !parent.has(key) && path[0] === 'locks'
          ? parent.items.findIndex((pair) => /^(passwords|links)$/.test(String(pair.key)))
          : -1;
      if (isMap(parent) && before >= 0) {
        parent.items.splice(before, 0, document.createPair(key, node));
      } else document.setIn(path, node);
    },
    addListing(key, path) {
      const list: unknown = document.getIn(['site', key], true);
      if (isSeq(list)) list.add(document.createNode(path));
      else {
        const made = document.createNode([path]);
        made.flow = true;
        document.setIn(['site', key], made);
      }
    },
    addBypassTo(lock, name) {
      listAt(lock, 'bypass', true).add(document.createNode(name));
    },
    removeBypassFrom(lock, name) {
      removeName(lock, name);
    },
    removePassword(lock, id) {
      if (!removeEntry(listAt(lock, 'passwords', false), id)) throw unknownPassword(lock, id);
    },
    addLink(lock, link) {
      listAt(lock, 'links', false).add(entryOf(link));
    },
    removeLink(lock, id) {
      const list = listAt(lock, 'links', false);
      if (!removeEntry(list, id)) {
        throw new DorlinError('link-unknown', `The lock \`${lock}\` has no link \`${id}\`.`);
      }
      if (list.items.length === 0) lockAt(lock).delete('links');
    },
  };
}

function unknownPassword(lock: string, id: string): DorlinError {
  return new DorlinError('password-unknown', `The lock \`${lock}\` has no password \`${id}\`.`);
}

/** Takes out maps that an edit has left empty; what a policy must have stays. */
function removeEmpty(document: Document, path: readonly string[]): void {
  for (let length = path.length; length > 0; length--) {
    const at = path.slice(0, length);
    const found: unknown = document.getIn(at, true);
    const mayGo = isMap(found) && found.items.length === 0 && !/^(?:site|locks)$/.test(at.join());
    if (!mayGo || (at[0] === 'locks' && length === 2)) return;
    document.deleteIn(at);
  }
}
