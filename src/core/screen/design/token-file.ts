import { DorlinError } from '../../errors.js';

export type Json = null | boolean | number | string | readonly Json[] | { readonly [key: string]: Json };
export type JsonObject = Readonly<Record<string, Json>>;

/** One design token, its aliases followed. */
export interface Token {
  readonly path: string;
  readonly type: string | undefined;
  readonly value: Json;
}

export const isObject = (value: Json | undefined): value is JsonObject =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** @returns DorlinError `tokens-invalid` */
export const broken = (message: string) => new DorlinError('tokens-invalid', message);

/** All tokens of a file, with their aliases resolved. */
export function readTokens(text: string): Token[] {
  let root: Json;
  try {
    root = JSON.parse(text) as Json;
  } catch (cause) {
    throw new DorlinError('tokens-invalid', `This is no JSON: ${(cause as Error).message}.`, {
      cause,
    });
  }
  if (!isObject(root)) throw broken('A tokens file is one JSON object.');
  const tokens: Token[] = [];
  const walk = (group: JsonObject, path: string, inherited: string | undefined, depth: number) => {
    if (depth > 40) throw broken(`The groups at \`${path}\` are nested too deep.`);
    const type = typeof group['$type'] === 'string' ? group['$type'] : inherited;
    if ('$value' in group) {
      tokens.push({ path, type, value: group['$value'] ?? null });
      return;
    }
    for (const [key, value] of Object.entries(group)) {
      if ((key.startsWith('$') && key !== '$root') || !isObject(value)) continue;
      walk(value, key === '$root' ? path : path === '' ? key : `${path}.${key}`, type, depth + 1);
    }
  };
  walk(root, '', undefined, 0);
  if (tokens.length === 0) throw broken('There is no token in it: nothing has a `$value`.');
  const known = new Map(tokens.map((token) => [token.path, token]));
  return tokens.map((token) => resolved(token, known));
}

/** Follows `{group.token}` and `{ "$ref": "#/group/token" }`, also within a value. */
function resolved(token: Token, known: ReadonlyMap<string, Token>): Token {
  let { type } = token;
  const follow = (value: Json, seen: readonly string[]): Json => {
    const path = aliasOf(value);
    if (path === undefined) {
      if (Array.isArray(value)) return value.map((one: Json) => follow(one, seen));
      if (!isObject(value)) return value;
      return Object.fromEntries(Object.entries(value).map(([key, one]) => [key, follow(one, seen)]));
    }
    const target = known.get(path);
    if (target === undefined) throw broken(`\`${token.path}\` is said to be \`${path}\`, which is no token.`);
    if (seen.includes(path)) throw broken(`\`${token.path}\` leads back to itself: ${[...seen, path].join(' → ')}.`);
    if (seen.length === 1) type ??= target.type;
    return follow(target.value, [...seen, path]);
  };
  const value = follow(token.value, [token.path]);
  return { path: token.path, type, value };
}

function aliasOf(value: Json): string | undefined {
  if (typeof value === 'string') return /^\{([^{}]+)\}$/.exec(value)?.[1];
  const pointer = isObject(value) ? value['$ref'] : undefined;
  if (typeof pointer !== 'string' || !pointer.startsWith('#/')) return undefined;
  // RFC 6901 section 4.
  const steps = pointer
    .slice(2)
    .split('/')
    .map((step) => step.replaceAll('~1', '/').replaceAll('~0', '~'));
  return steps.filter((step) => step !== '$value').join('.');
}
