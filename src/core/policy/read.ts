import { closest, distance } from 'fastest-levenshtein';
import { isCollection, isMap, isPair, isScalar, LineCounter, parseDocument, type Document, type Pair } from 'yaml';
import type * as z from 'zod';
import { DorlinError } from '../errors.js';
import type { Policy } from './types.js';
import { compilePolicy } from './compile.js';
import { formatProblems, type PolicyProblem } from './problem.js';
import { policyJsonSchema, policySchema } from './schema.js';

/** A policy that can be asked, or everything that is wrong with the text. */
export type PolicyReading =
  { readonly ok: true; readonly policy: Policy } | { readonly ok: false; readonly problems: readonly PolicyProblem[] };

/** Reads the text of a `dorlin.yaml`: YAML, then schema, then places. Never throws. */
export function readPolicy(text: string): PolicyReading {
  return readWritten(parseWritten(text));
}

/** The text of a policy, read as YAML: its nodes, and where its lines begin. */
export interface WrittenPolicy {
  readonly document: Document.Parsed;
  readonly lines: LineCounter;
}

/** Reads the YAML of a policy, whatever is wrong with it. */
export function parseWritten(text: string): WrittenPolicy {
  const lines = new LineCounter();
  // Keys are looked at below, once each: the parser compares each with all that came before it.
  const document = parseDocument(text, { lineCounter: lines, version: '1.2', uniqueKeys: false });
  return { document, lines };
}

/** The same as {@link readPolicy}, of what was read as YAML before. */
export function readWritten({ document, lines }: WrittenPolicy): PolicyReading {
  const problem = document.errors[0];
  if (problem !== undefined) {
    const { line, col } = lines.linePos(problem.pos[0]);
    const message = (problem.message.split('\n')[0] ?? '').replace(/ at line \d+.*$/, '');
    return { ok: false, problems: [{ path: [], message, position: { line, column: col } }] };
  }
  const strange = strangeKey(document, lines);
  if (strange !== undefined) return { ok: false, problems: [strange] };
  let content: unknown;
  try {
    content = document.toJS({ maxAliasCount: 100 });
  } catch (error) {
    return { ok: false, problems: [{ path: [], message: (error as Error).message }] };
  }
  if (content === null || content === undefined) {
    return { ok: false, problems: [{ path: [], message: 'the policy is empty' }] };
  }
  const parsed = policySchema.safeParse(content);
  const result = parsed.success
    ? compilePolicy(parsed.data)
    : { ok: false as const, problems: parsed.error.issues.flatMap(problemsOf) };
  if (result.ok) return result;
  const problems = result.problems.slice(0, mostProblems).map((found) => {
    const position = positionOf(document, found.path, lines);
    return position === undefined ? found : { ...found, position };
  });
  const more = result.problems.length - problems.length;
  if (more > 0) problems.push({ path: [], message: `and ${more} more problems` });
  return { ok: false, problems };
}

/**
 * A key that would vanish, and what stands under it: JavaScript takes it for something else, or it is
 * written twice. `1` and `'1'` are one key to it.
 */
function strangeKey(document: Document, lines: LineCounter): PolicyProblem | undefined {
  let found: PolicyProblem | undefined;
  const at = (key: unknown, message: string) => {
    const { line, col } = lines.linePos((key as { range?: number[] }).range?.[0] ?? 0);
    found ??= { path: [], message, position: { line, column: col } };
  };
  const lookAt = (pairs: readonly Pair[]) => {
    const seen = new Set<string>();
    for (const { key } of pairs) {
      const name = isScalar(key) ? String(key.value) : undefined;
      if (name === '__proto__') at(key, 'there can be no key `__proto__`: choose another name');
      else if (name !== undefined && seen.has(name)) {
        at(key, `the key \`${name}\` is written twice: only one of them would count`);
      }
      if (name !== undefined) seen.add(name);
    }
  };
  const left: unknown[] = [document.contents];
  while (left.length > 0 && found === undefined) {
    const node = left.pop();
    if (isPair(node)) left.push(node.key, node.value);
    else if (isCollection(node)) {
      if (isMap(node)) lookAt(node.items);
      for (const item of node.items) if (!isScalar(item)) left.push(item);
    }
  }
  return found;
}

/** Most problems that are told of one policy. */
const mostProblems = 100;

/**
 * The same, for those who want the policy or an error.
 * @throws DorlinError `policy-invalid`, its message naming file, line, column, key and mend
 */
export function readPolicyOrThrow(text: string, fileName: string): Policy {
  return policyOrThrow(readPolicy(text), fileName);
}

/** @throws DorlinError `policy-invalid` */
export function policyOrThrow(reading: PolicyReading, fileName: string): Policy {
  if (reading.ok) return reading.policy;
  throw new DorlinError('policy-invalid', formatProblems(reading.problems, fileName), { mend: '' });
}

function problemsOf(issue: z.core.$ZodIssue): PolicyProblem[] {
  const path = issue.path.map((key) => (typeof key === 'number' ? key : String(key)));
  if (issue.code === 'unrecognized_keys') {
    const known = knownKeys(path);
    return issue.keys.map((key) => ({ path: [...path, key], message: unknownKey(key, known) }));
  }
  if (issue.code === 'invalid_key') {
    return [{ path, message: issue.issues[0]?.message ?? issue.message }];
  }
  if (issue.code === 'invalid_type' && issue.input === undefined && /undefined/.test(issue.message)) {
    return [{ path, message: 'this key is missing' }];
  }
  return [{ path, message: issue.message.replace(/^Invalid input: /, '') }];
}

function unknownKey(key: string, known: readonly string[]): string {
  const nearest = known.length > 0 ? closest(key, known) : undefined;
  const isNear = nearest !== undefined && distance(key, nearest) <= Math.max(2, key.length / 3);
  const hint = isNear ? `did you mean \`${nearest}\`?` : `known here: ${known.join(', ')}`;
  return `there is no key \`${key}\` here; ${hint}`;
}

/** As much of a JSON Schema as the walk below needs. */
interface SchemaNode {
  readonly properties?: Record<string, SchemaNode>;
  readonly additionalProperties?: SchemaNode;
  readonly items?: SchemaNode;
  readonly anyOf?: SchemaNode[];
}

/** The keys that the schema knows at a path. */
function knownKeys(path: readonly (string | number)[]): string[] {
  let nodes = [policyJsonSchema() as SchemaNode];
  for (const key of path) {
    nodes = nodes
      .flatMap((node) => [node, ...(node.anyOf ?? [])])
      .flatMap((node) =>
        typeof key === 'number' ? (node.items ?? []) : (node.properties?.[key] ?? node.additionalProperties ?? []),
      );
  }
  return nodes.flatMap((node) => [node, ...(node.anyOf ?? [])]).flatMap((node) => Object.keys(node.properties ?? {}));
}

/** Where a key stands in the text, or the nearest key above it that does. */
function positionOf(
  document: Document,
  path: readonly (string | number)[],
  lines: LineCounter,
): { line: number; column: number } | undefined {
  for (let length = path.length; length > 0; length--) {
    const parent: unknown = length === 1 ? document.contents : document.getIn(path.slice(0, length - 1), true);
    const key = path[length - 1];
    const keyNode = isMap(parent)
      ? parent.items.find(({ key: node }) => isScalar(node) && node.value === key)?.key
      : document.getIn(path.slice(0, length), true);
    const start = (keyNode as { range?: [number, number, number] } | undefined)?.range?.[0];
    if (start !== undefined) {
      const { line, col } = lines.linePos(start);
      return { line, column: col };
    }
  }
  return undefined;
}
