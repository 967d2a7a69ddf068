import { isAlias, isNode, visit, type Document } from 'yaml';
import { DorlinError } from '../errors.js';

/**
 * Refuses to edit what is not written here.
 * @throws DorlinError `policy-shared`
 */
export function refuseAlias(node: unknown, what: string): void {
  if (!isAlias(node)) return;
  throw new DorlinError(
    'policy-shared',
    `In the policy, ${what} is the alias \`*${node.source}\`: what is written elsewhere counts here too.`,
  );
}

/**
 * Refuses an edit of what counts in other places as well, by an anchor (`&name`) that aliases use.
 * @throws DorlinError `policy-shared`
 */
export function refuseShared(before: Document, after: Document, fileName: string): void {
  const names = new Set<string>();
  visit(before, {
    Alias(_position, { source }) {
      names.add(source);
    },
  });
  if (names.size === 0) return;
  const meant = (document: Document) => {
    const found = new Map<string, string>();
    visit(document, {
      Node(_position, node) {
        if ('anchor' in node && names.has(node.anchor ?? ''))
          found.set(node.anchor ?? '', JSON.stringify(isNode(node) ? node.toJS(document) : null));
      },
    });
    return found;
  };
  const now = meant(after);
  for (const [name, value] of meant(before)) {
    if (now.get(name) === value) continue;
    throw new DorlinError(
      'policy-shared',
      `The edit would change what \`&${name}\` in ${fileName} stands for, and with it every place that says \`*${name}\`.`,
    );
  }
}
