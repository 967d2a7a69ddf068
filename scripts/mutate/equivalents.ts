/** Changes of no effect: an answer is the same, only slower, or found in another way. */
export interface Equivalent {
  readonly file: string;
  /** The line of the change, without what it begins and ends with. */
  readonly line: string;
  /** What was put there; any change of the line, if left out. */
  readonly to?: string;
  readonly why: string;
}

const state = 'src/core/sections/parser-state.ts';
const lessPlain = 'what is no plain case is proven by reading the page again, with the same outcome';

export const equivalents: readonly Equivalent[] = [
  {
    file: 'src/core/decide.ts',
    line: 'const counts = policy.hasWindows ? (lock: Lock) => countsAt(lock, now) : undefined;',
    to: '(lock: Lock) => countsAt(lock, now)',
    why: 'asks locks without windows, which all count',
  },
  {
    file: 'src/core/decide-section.ts',
    line: 'if (policy.sections.size === 0) return noSections;',
    to: 'false',
    why: 'finds none in the long way',
  },
  {
    file: 'src/core/places/cover-index.ts',
    line: 'const folderCloseness = (depth: number, isPattern: boolean) => 2 * depth + (isPattern ? 0 : 1);',
    to: '1',
    why: 'of equal ones the literal is first in the list, and sorting keeps that',
  },
  {
    file: 'src/core/places/canonical.ts',
    line: 'if (at === lastSlash + 1 || at === end - 1) return undefined;',
    why: 'what ends with a dot is read the careful way behind the loop as well',
  },
  {
    file: 'src/core/places/canonical.ts',
    line: 'if (code < 128 && isPlainSign[code] === 1) {',
    to: '<=',
    why: 'is read the careful way',
  },
  {
    file: 'src/core/places/cover-index.ts',
    line: "else if (place.kind === 'section') continue;",
    to: 'false',
    why: 'is passed over where patterns are matched',
  },
  {
    file: 'src/core/places/cover-index.ts',
    line: 'return excepts.length === 0 ? excepted : new Set([...(excepted ?? []), ...excepts]);',
    to: 'new Set([...(excepted ?? []), ...excepts])',
    why: 'adds nothing to a list',
  },
  {
    file: 'src/core/passes/keys.ts',
    line: 'const salt = new Uint8Array(32);',
    why: 'HMAC fills a key up with zeros to the length of a block',
  },
  {
    file: 'src/core/passwords/shared-salt.ts',
    line: 'one.forEach((byte, at) => (difference |= byte ^ (other[at] ?? 0)));',
    to: '1',
    why: 'both have the same length',
  },
  {
    file: 'src/core/passwords/phc.ts',
    line: 'if (salt === undefined || hash === undefined) return undefined;',
    to: '&&',
    why: 'the expression has both or does not match',
  },
  {
    file: 'src/core/places/canonical.ts',
    line: '} else if (code === dot) {',
    to: 'false',
    why: 'is read the careful way',
  },
  {
    file: 'src/core/places/cover-index.ts',
    line: 'const siteCloseness = 0;',
    why: 'every folder is closer still',
  },
  {
    file: 'src/core/sections/media-type.ts',
    line: "const type = (contentType.split(';', 1)[0] ?? '').trim().toLowerCase();",
    to: '2',
    why: 'the first is taken, of however many',
  },
  {
    file: 'src/guard/visit/form.ts',
    line: "const type = (headerOf(visit, 'content-type') ?? '').split(';', 1)[0]?.trim().toLowerCase();",
    to: '2',
    why: 'the first is taken, of however many',
  },
  {
    file: 'src/core/sections/cut.ts',
    line: "name === 'id' ? wanted.has(value) || wanted.has(readValue(value)) : name === markAttribute,",
    why: 'of what is not noted the proof is to read the page again',
  },
  {
    file: 'src/core/places/cover-index.ts',
    line: 'pages.trim();',
    why: 'takes more memory',
  },
  {
    file: 'src/core/places/cover-index.ts',
    line: 'folders.trim();',
    why: 'takes more memory',
  },
  {
    file: 'src/core/places/cover-index.ts',
    line: 'if (this.#lengths[length] === 0) return undefined;',
    why: 'looks up what is not there',
  },
  {
    file: 'src/core/places/request-target.ts',
    line: "if (raw.length > maxTargetLength) return refuse('too-long');",
    to: 'false',
    why: 'is refused for its length when it is read',
  },
  {
    file: 'src/core/places/request-target.ts',
    line: 'const kind = code < 128 ? (kinds[code] ?? 0) : 0;',
    why: 'what is normal already is written anew, the same',
  },
  {
    file: 'src/core/passes/signed.ts',
    line: 'if (error instanceof errors.JWSSignatureVerificationFailed) continue;',
    to: 'true',
    why: 'tries the older secrets, which sign nothing else',
  },
  {
    file: 'src/core/passes/known-browser.ts',
    line: 'const known = cookie === undefined ? undefined : await readSigned(cookie, kind, keys);',
    why: 'nothing is no signed text either',
  },
  {
    file: 'src/guard/visit/identity.ts',
    line: 'const until = Math.min(found.until, now + beliefSpan);',
    why: 'a token is verified anew, or believed as long as it counts',
  },
  {
    file: 'src/guard/visit/identity.ts',
    line: 'if (known !== undefined && context.now < known.until) return known.identity;',
    to: 'false',
    why: 'a token is verified anew',
  },
  {
    file: 'src/guard/visit/identity.ts',
    line: 'caches.tokens.set(guarded.number, token, { identity: found.identity, until });',
    why: 'a token is verified anew',
  },
  {
    file: 'src/guard/visit/identity.ts',
    line: "roles: roles.filter((role) => role !== ''),",
    why: 'no bypass can name a role without letters',
  },
  {
    file: 'src/guard/page/sections.ts',
    line: 'const named = key === undefined ? undefined : context.caches.named.get(context.guarded.number, key);',
    to: 'context.caches.named.get(context.guarded.number, key)',
    why: 'nothing is kept under no key',
  },
  {
    file: 'src/guard/page/sections.ts',
    line: 'cuts.set(cutKey, cut);',
    why: 'the page is cut anew',
  },
  {
    file: 'src/guard/answers/basic.ts',
    line: 'if (sent === undefined) return undefined;',
    to: 'false',
    why: 'nothing cannot be decoded',
  },
  {
    file: 'src/core/bypass/token.ts',
    line: 'return { identity: { person, roles, signedIn: true }, until: payload.exp ?? 0 };',
    why: 'is verified anew at every request; an expiry is required',
  },
  {
    file: 'src/core/sections/cut.ts',
    line: 'if (error instanceof NestedTooDeeply) return undefined;',
    why: 'a parser throws nothing else',
  },
  {
    file: 'src/core/sections/cut.ts',
    line: 'const parsed = given ?? parseWatching(text, hasName, true, (tag) => replacementOf(tag) !== undefined);',
    why: 'reads it again',
  },
  {
    file: state,
    line: 'if (parser.tmplInsertionModeStack.length > 0 || parser.fosterParentingEnabled) return undefined;',
    why: 'both are the same behind a section wherever the rest of the state is',
  },
  {
    file: state,
    line: "if (!isHtml(openElements.current as TreeMap['element'])) return undefined;",
    why: lessPlain,
  },
  { file: state, line: 'if (count === mostFormatting) return undefined;', why: lessPlain },
  {
    file: 'src/core/sections/same-tree.ts',
    line: 'one.name === other.name &&',
    why: 'a doctype stands before all that is cut',
  },
  {
    file: 'src/core/sections/same-tree.ts',
    line: "if ('publicId' in one) {",
    to: 'false',
    why: 'a doctype stands before all that is cut',
  },
  {
    file: 'src/core/places/canonical.ts',
    line: '} else if (code >= 65 && code <= 90) {',
    why: 'is read the careful way',
  },
  {
    file: 'src/core/places/cover-index.ts',
    line: 'readonly #lengths = new Uint8Array(maxPathLength + 1);',
    why: 'what is longer than the list is looked up all the same',
  },
  {
    file: 'src/core/places/request-target.ts',
    line: 'const point = text.codePointAt(at) ?? 0xfffd;',
    why: 'there is a letter wherever it is asked for one',
  },
  {
    file: 'src/core/bypass/address.ts',
    line: ": ((one) => [one, one.kind() === 'ipv4' ? 32 : 128] as const)(ipaddr.process(text));",
    to: '33',
    why: 'there is nothing behind the last bit that could differ',
  },
  {
    file: 'src/core/bypass/address.ts',
    line: 'if (address === undefined || ranges.length === 0) return false;',
    to: '&&',
    why: 'nothing is no address, and in no range lies none',
  },
  {
    file: 'src/core/sections/same-tree.ts',
    line: "if (!('childNodes' in one) || !('childNodes' in other)) continue;",
    to: '&&',
    why: 'nodes of one kind both have children or both have none',
  },
  {
    file: 'src/core/places/place.ts',
    line: 'return longest < 0 ? undefined : longest;',
    to: '<=',
    why: 'a pattern without a part of its own is refused',
  },
  {
    file: 'src/guard/caches.ts',
    line: 'sizeCalculation: ({ value }, key) => Math.ceil(2 * key.length + 180 + sizeOf(value, key)),',
    why: 'an estimate of what a thing takes, and none of what is kept',
  },
  {
    file: 'src/core/places/canonical.ts',
    line: 'return plain === undefined',
    to: 'true',
    why: 'is read the careful way',
  },
  {
    file: 'src/core/places/cover-index.ts',
    line: 'const folderCloseness = (depth: number, isPattern: boolean) => 2 * depth + (isPattern ? 0 : 1);',
    to: '3',
    why: 'the order of folders is the same',
  },
  {
    file: 'src/core/bypass/address.ts',
    line: 'return address === undefined ? undefined : readAddress(address)?.toString();',
    to: 'readAddress(address)?.toString()',
    why: 'nothing is no address either',
  },
  {
    file: 'src/core/sections/same-tree.ts',
    line: "if ('content' in one && 'content' in other) waiting.push([one.content, other.content]);",
    to: '||',
    why: 'nodes of one kind both have contents or both have none',
  },
  {
    file: 'src/guard/endpoints/unlock.ts',
    line: "return failures[0]?.answer() ?? (isHidden(lock) ? nowhere() : screenAnswer(context, lock, 'ask', to));",
    why: 'hidden locks without a password are not among those that are tried',
  },
  {
    file: 'src/guard/page/held-answer.ts',
    line: 'const repeated = page.isCertain ? page.known() : undefined;',
    to: 'page.known()',
    why: 'where nothing is named, nothing is known',
  },
  {
    file: 'src/guard/caches.ts',
    line: 'maxEntrySize: most / 4,',
    why: 'a bound of one thing, and nothing of what is kept',
  },
  {
    file: 'src/guard/caches.ts',
    line: 'readonly named = new SiteCache<NamedPage>(4e6, ({ ids, marks }) => 300 + (ids.size + marks.size) * 100);',
    why: 'an estimate of what a thing takes, and none of what is kept',
  },
  {
    file: 'src/guard/caches.ts',
    line: 'readonly tokens = new SiteCache<TokenIdentity>(2e6, () => 500);',
    why: 'an estimate of what a thing takes, and none of what is kept',
  },
];
