import isEqual from 'fast-deep-equal';
import type { PasswordDocument, LinkDocument } from './document.js';
import { editPolicy } from './edit.js';
import type { PolicyEditor } from './editor.js';
import { parseWritten } from './read.js';

/** What a policy was changed in: a value, an entry of a list by its id, or items of a list. */
type Change =
  | { readonly kind: 'value'; readonly path: readonly string[]; readonly before: unknown; readonly after: unknown }
  | {
      readonly kind: 'entry';
      readonly path: readonly string[];
      readonly id: string;
      readonly before: Entry | undefined;
      readonly after: Entry | undefined;
    }
  | {
      readonly kind: 'items';
      readonly path: readonly string[];
      readonly added: readonly unknown[];
      readonly removed: readonly unknown[];
    };

type Entry = Readonly<Record<string, unknown>> & { readonly id: string };
type Map_ = Readonly<Record<string, unknown>>;

/** What came of carrying changes: the text with them, or where both have changed the same. */
export type Carried = { readonly ok: true; readonly text: string } | { readonly ok: false; readonly places: string[] };

/**
 * Carries what was changed between two texts of a policy into a third, which was made of the first in
 * another way: by what the keys mean, and not by lines. The comments of the third stay.
 *
 * @throws DorlinError `policy-invalid`, `edit-refused` where the outcome would be wrong
 */
export function carryChanges(base: string, ours: string, theirs: string, fileName: string): Carried {
  const [from, to, other] = [base, ours, theirs].map((text) => parseWritten(text).document.toJS() as unknown);
  const changes: Change[] = [];
  changesBetween(from, to, [], changes);
  const places: string[] = [];
  const fitting = changes.filter((change) => {
    const fits = isFree(change, other);
    if (!fits) places.push(change.path.join('.'));
    return fits;
  });
  if (places.length > 0) return { ok: false, places: [...new Set(places)] };
  const { text } = editPolicy(theirs, fileName, (editor) => {
    for (const change of fitting) apply(editor, change, other);
  });
  return { ok: true, text };
}

const isMap = (value: unknown): value is Map_ => typeof value === 'object' && value !== null && !Array.isArray(value);
const isEntry = (value: unknown): value is Entry => isMap(value) && typeof value['id'] === 'string';
const isScalar = (value: unknown) => typeof value !== 'object' || value === null;
const list = (value: unknown): readonly unknown[] => (Array.isArray(value) ? value : []);
/** The items of a list that are not in another. */
const without = (all: readonly unknown[], others: readonly unknown[]) => {
  const gone = new Set(others);
  return all.filter((one) => !gone.has(one));
};
const valueAt = (value: unknown, path: readonly string[]): unknown =>
  path.reduce<unknown>((inner, key) => (isMap(inner) && Object.hasOwn(inner, key) ? inner[key] : undefined), value);
const entryIn = (value: unknown, id: string) => list(value).find((one) => isEntry(one) && one.id === id);

function changesBetween(before: unknown, after: unknown, path: readonly string[], changes: Change[]): void {
  if (isEqual(before, after)) return;
  // Of what stands at the top, none is as good as an empty one.
  const [was, is] = path.length === 1 ? [before ?? {}, after ?? {}] : [before, after];
  if (isMap(was) && isMap(is)) {
    for (const key of new Set([...Object.keys(was), ...Object.keys(is)]))
      changesBetween(was[key], is[key], [...path, key], changes);
    return;
  }
  const all = [...list(before), ...list(after)];
  const isList = [before, after].every((one) => one === undefined || Array.isArray(one));
  if (isList && all.every(isEntry) && (path.at(-1) === 'passwords' || path.at(-1) === 'links')) {
    for (const id of new Set(all.map((one) => one.id))) {
      const [old, now] = [entryIn(before, id), entryIn(after, id)] as (Entry | undefined)[];
      if (!isEqual(old, now)) changes.push({ kind: 'entry', path, id, before: old, after: now });
    }
  } else if (isList && all.every(isScalar)) {
    const [old, now] = [list(before), list(after)];
    const added = without(now, old);
    const removed = without(old, now);
    // Another order alone says something where the first counts, as with languages.
    if (added.length + removed.length > 0) changes.push({ kind: 'items', path, added, removed });
    else changes.push({ kind: 'value', path, before, after });
  } else changes.push({ kind: 'value', path, before, after });
}

/** Whether what is to be changed is there as it was, or is already as it is to be. */
function isFree(change: Change, theirs: unknown): boolean {
  const here = valueAt(theirs, change.path);
  // What holds it was there in the first text; where it is gone now, somebody has ended it.
  if (change.path.length > 2 && valueAt(theirs, change.path.slice(0, -1)) === undefined) return false;
  switch (change.kind) {
    case 'value':
      return isEqual(here, change.before) || isEqual(here, change.after);
    case 'entry': {
      const entry = entryIn(here, change.id);
      return isEqual(entry, change.before) || isEqual(entry, change.after);
    }
    case 'items':
      return here === undefined || Array.isArray(here);
  }
}

function apply(editor: PolicyEditor, change: Change, theirs: unknown): void {
  const { path } = change;
  const [group, name = '', key] = path;
  const here = valueAt(theirs, path);
  if (change.kind === 'value') {
    if (isEqual(here, change.after)) return;
    if (change.after !== undefined) editor.set(path, change.after);
    else if (group === 'locks' && path.length === 2) editor.removeLock(name);
    else if (group === 'bypasses' && path.length === 2) editor.removeBypass(name);
    else editor.set(path, undefined);
    return;
  }
  if (change.kind === 'entry') {
    const { id, before, after } = change;
    if (isEqual(entryIn(here, id), after)) return;
    if (key === 'passwords') {
      if (after === undefined) editor.removePassword(name, id);
      else if (before === undefined) editor.addPassword(name, after as unknown as PasswordDocument);
      else editor.replacePassword(name, id, { ...gone(before), ...after });
      return;
    }
    if (before !== undefined) editor.removeLink(name, id);
    if (after !== undefined) editor.addLink(name, after as unknown as LinkDocument);
    return;
  }
  const now = list(here);
  const there = new Set(now);
  const removed = change.removed.filter((one) => there.has(one));
  const added = change.added.filter((one) => !there.has(one));
  if (group === 'locks' && (key === 'covers' || key === 'except') && path.length === 3) {
    for (const one of removed) editor.removePlace(name, key, String(one));
    for (const one of added) editor.addPlace(name, key, String(one));
  } else if (removed.length + added.length > 0) {
    const left = [...without(now, removed), ...added];
    editor.set(path, left.length === 0 ? undefined : left);
  }
}

/** Every key of an entry as one that goes. */
const gone = (entry: Entry) => Object.fromEntries(Object.keys(entry).map((key) => [key, undefined]));
