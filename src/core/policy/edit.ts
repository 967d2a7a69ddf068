import {
  isMap,
  isScalar,
  isSeq,
  type Document,
  type YAMLMap,
  type YAMLSeq,
} from 'yaml';
import { DorlinError } from '../errors.js';
import { refuseAlias, refuseShared } from './aliases.js';
import type { Policy } from './types.js';
import { patchedText, tidied } from './patch.js';
import { parseWritten, policyOrThrow, readWritten } from './read.js';
import { layoutOf } from './source.js';
import type { BypassDocument, LinkDocument, LockDocument } from './schema.js';

/** A password as it stands in the policy. */
export type PasswordEntry = LockDocument['passwords'][number];
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
  /** Puts another password, or some new words about it, in the place of the one with this id. */
  replacePassword(lock: string, id: string, password: Partial<PasswordEntry>): void;
  removePassword(lock: string, id: string): void;
  addLink(lock: string, link: LinkDocument): void;
  removeLink(lock: string, id: string): void;
  /** Sets how a lock takes HTTP Basic. */
  setBasic(lock: string, basic: true | 'always'): void;
  setBypass(name: string, bypass: BypassEntry): void;
  /** Takes a bypass away, and its name out of every lock. */
  removeBypass(name: string): void;
  /** Sets one key of a screen, which is made where there is none. */
  setInScreen(name: string, key: readonly string[], value: string | number): void;
  /** Adds an address to the sitemaps or the feeds that are sent without what is locked. */
  addListing(key: 'sitemaps' | 'feeds', path: string): void;
  /** Sets what outsiders get at a lock. */
  setOutsiders(lock: string, outsiders: 'not-found'): void;
  /** Lets a bypass count at a lock. */
  addBypassTo(lock: string, name: string): void;
}

/**
 * Edits the text of a policy and answers with the new text and the new policy.
 *
 * @throws DorlinError `policy-invalid` where the text has a mistake before the edit, or would
 * have one after it; nothing is to be written then
 */
export function editPolicy(
  text: string,
  fileName: string,
  edit: (editor: PolicyEditor) => void,
): { text: string; before: Policy; after: Policy } {
  const written = parseWritten(text);
  const before = policyOrThrow(readWritten(written), fileName);
  const { document: original } = written;
  const document = original.clone();
  edit(editorOf(document, before));
  refuseShared(original, document, fileName);
  const patched = patchedText(text, original, document);
  const edited = patched?.text ?? writeDocument(text, document);
  // What was written is read, not what was meant: once, as a policy may be long.
  const reading = readWritten(patched ?? parseWritten(edited));
  if (!reading.ok) {
    const first = reading.problems[0];
    throw new DorlinError(
      'policy-invalid',
      `The change would break ${fileName}: ${first?.path.join('.') ?? ''} ${first?.message ?? ''}`,
      { mend: 'Nothing was written.' },
    );
  }
  return { text: edited, before, after: reading.policy };
}

/** The text of a document as a whole, where the edit alone cannot be put into the text. */
function writeDocument(text: string, document: Document): string {
  const { newline, indent, indentSeq } = layoutOf(text, document.contents);
  const written = document.toString({ lineWidth: 0, indent, indentSeq }).replace(/\n*$/, '\n');
  return tidied(written).replaceAll('\n', newline);
}

function editorOf(document: Document, before: Policy): PolicyEditor {
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
    const after =
      key === 'except' ? map.items.findIndex((pair) => String(pair.key) === 'covers') : -1;
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
      list.items = list.items.filter(
        (item) => (item as { value?: unknown } | null)?.value !== place,
      );
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
      for (const [key, value] of Object.entries(password)) entry.set(key, value);
    },
    setBypass(name, bypass) {
      const entry = document.createNode(bypass);
      entry.flow = true;
      if (isMap(document.get('bypasses', true))) document.setIn(['bypasses', name], entry);
      else document.set('bypasses', document.createNode({ [name]: entry }));
    },
    removeBypass(name) {
      document.deleteIn(['bypasses', name]);
      for (const lock of before.locks.keys()) {
        const list: unknown = lockAt(lock).get('bypass', true);
        if (!isSeq(list)) continue;
        list.items = list.items.filter((item) => !isScalar(item) || item.value !== name);
        if (list.items.length === 0) lockAt(lock).delete('bypass');
      }
      const bypasses: unknown = document.get('bypasses', true);
      if (isMap(bypasses) && bypasses.items.length === 0) document.delete('bypasses');
    },
    setInScreen(name, key, value) {
      const path = ['screens', name, ...key];
      // What is not there yet, or is empty, is made as a map that can be added to.
      for (let length = 1; length < path.length; length++) {
        const at = path.slice(0, length);
        const found: unknown = document.getIn(at, true);
        if (isMap(found)) continue;
        document.setIn(at, document.createNode({}));
        const made: unknown = document.getIn(at, true);
        if (isMap(made)) made.flow = length === path.length - 1 && key.length > 1;
      }
      document.setIn(path, value);
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
    setOutsiders(lock, outsiders) {
      lockAt(lock).set('outsiders', outsiders);
    },
    addBypassTo(lock, name) {
      listAt(lock, 'bypass', true).add(document.createNode(name));
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
    setBasic(lock, basic) {
      lockAt(lock).set('basic', basic);
    },
  };
}

function unknownPassword(lock: string, id: string): DorlinError {
  return new DorlinError('password-unknown', `The lock \`${lock}\` has no password \`${id}\`.`);
}
