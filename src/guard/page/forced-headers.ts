import type { VerdictHeaders } from '../visit/visit.js';

/** What the application varies by and what we do; `*` says it all (RFC 9110 section 12.5.5). */
export function mergedVary(given: string, ours = ''): string {
  if (given === '' || ours === '') return given === '' ? ours : given;
  const both = `${given}\n${ours}`;
  let merged = known.get(both);
  if (merged === undefined) {
    merged = merge(given, ours);
    if (known.size < 200 && both.length < 200) known.set(both, merged);
  }
  return merged;
}

/** A site says the same few at all its answers. */
const known = new Map<string, string>();

function merge(given: string, ours: string): string {
  const namesIn = (list: string) => list.split(',').map((name) => name.trim());
  const names = namesIn(given);
  if (names.includes('*')) return '*';
  const isNew = (name: string) => !names.some((other) => other.toLowerCase() === name.toLowerCase());
  return [...names, ...namesIn(ours).filter(isNew)].filter((name) => name !== '').join(', ');
}

const lowered = new Map<string, string>();

/** Remembered, as all answers have the same few names, and to compare a new text takes as long as the rest. */
function inSmallLetters(name: string): string {
  let small = lowered.get(name);
  if (small === undefined) {
    small = name.toLowerCase();
    if (lowered.size < 500 && name.length < 50) lowered.set(name, small);
  }
  return small;
}

type Value = string | readonly string[];

/** Headers of two guards that both let somebody in: the outer one's count, cookies of both are set. */
export function bothForced(outer: VerdictHeaders, inner: VerdictHeaders): VerdictHeaders {
  const cookies = [inner['set-cookie'] ?? [], outer['set-cookie'] ?? []].flat();
  const vary = mergedVary(String(inner['vary'] ?? ''), String(outer['vary'] ?? ''));
  return {
    ...inner,
    ...outer,
    ...(cookies.length > 0 ? { 'set-cookie': cookies } : {}),
    ...(vary === '' ? {} : { vary }),
  };
}

/**
 * The headers of an answer with those that a verdict forces: in the place of the application's, but
 * for cookies, which are added to its own, and `Vary`, which says both.
 *
 * @param written - what the application gives with the status, by any spelling of the names
 * @param earlier - what it set before, of `Vary` and `Set-Cookie`
 * @returns names and values in turn, a name once for each time that it was written
 */
export function withForced(
  written: Readonly<Record<string, unknown>> | readonly (readonly [string, unknown])[],
  earlier: (name: 'vary' | 'set-cookie') => Value | number | undefined,
  forced: VerdictHeaders,
): Value[] {
  const headers: Value[] = [];
  let vary: string | undefined;
  let cookies: Value[] | undefined;
  const take = (name: string, value: unknown) => {
    const plain = inSmallLetters(name);
    if (plain === 'vary') vary = String(value);
    else if (plain === 'set-cookie') cookies = [...(cookies ?? []), ...([value].flat() as Value[])];
    else if (!(plain in forced)) headers.push(name, value as Value);
  };
  if (Array.isArray(written)) for (const [name, value] of written as [string, unknown][]) take(name, value);
  else for (const [name, value] of Object.entries(written)) take(name, value);
  for (const name in forced) {
    if (name !== 'vary' && name !== 'set-cookie') headers.push(name, forced[name] as Value);
  }
  const ours = forced['set-cookie'];
  const theirs = cookies ?? earlier('set-cookie');
  if (theirs !== undefined || ours !== undefined) {
    const added = ours === undefined ? [] : [ours].flat();
    const others = ([theirs ?? []].flat() as string[]).filter((line) => !added.includes(line));
    headers.push('set-cookie', [...others, ...added]);
  }
  const before = vary === undefined ? earlier('vary') : vary;
  const merged = mergedVary(before === undefined ? '' : String(before), forced['vary'] as string | undefined);
  if (merged !== '') headers.push('vary', merged);
  return headers;
}
