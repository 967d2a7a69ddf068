/** A screen as the policy has it, key by key. */
export type Written = Readonly<Record<string, unknown>>;

const isMap = (value: unknown): value is Written =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** What stands at a key such as `colors.light.page`; undefined where nothing does. */
export function valueAt(written: unknown, key: string): unknown {
  return key.split('.').reduce<unknown>((at, part) => (isMap(at) ? at[part] : undefined), written);
}

/** The same document with another value at a key; without one the key goes, and what it leaves empty. */
export function withValue(written: Written, key: string, value: unknown): Written {
  const [first = '', ...rest] = key.split('.');
  const { [first]: before, ...others } = written;
  const next = rest.length === 0 ? value : withValue(isMap(before) ? before : {}, rest.join('.'), value);
  if (next === undefined || (isMap(next) && Object.keys(next).length === 0)) return others;
  // In its place, so that a document that was changed and changed back is the same one.
  return first in written
    ? Object.fromEntries(Object.entries(written).map(([name, one]) => [name, name === first ? next : one]))
    : { ...written, [first]: next };
}

/** A value as text, whatever the order of its keys. */
const ordered = (value: unknown): string =>
  JSON.stringify(value, (_, one: unknown) =>
    isMap(one) ? Object.fromEntries(Object.entries(one).sort(([a], [b]) => (a < b ? -1 : 1))) : one,
  );

export const isSame = (one: unknown, other: unknown): boolean => ordered(one) === ordered(other);
