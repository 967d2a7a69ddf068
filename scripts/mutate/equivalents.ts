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
const lessPlain =
  'what is no plain case is proven by reading the page again, with the same outcome';

export const equivalents: readonly Equivalent[] = [
  {
    file: 'src/core/decide.ts',
    line: 'const counts = policy.hasWindows ? (lock: Lock) => countsAt(lock, now) : undefined;',
    to: '(lock: Lock) => countsAt(lock, now)',
    why: 'asks locks without windows, which all count',
  },
  {
    file: 'src/core/decide-section.ts',
    line: 'if (policy.sections.size === 0) return found;',
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
    line: 'if ((code >= 97 && code <= 122) || (code >= 48 && code <= 57) || code === 45 || code === 95) {',
    to: '49',
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
    line: 'if (level.excepts.length > 0) excepted = new Set([...(excepted ?? []), ...level.excepts]);',
    to: 'true',
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
    line: "const type = contentType.split(';', 1)[0]?.trim().toLowerCase() ?? '';",
    to: '2',
    why: 'the first is taken, of however many',
  },
  {
    file: 'src/guard/form.ts',
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
    file: 'src/guard/identity.ts',
    line: 'const until = Math.min(found.until, now + beliefSpan);',
    why: 'a token is verified anew, or believed as long as it counts',
  },
  {
    file: 'src/guard/identity.ts',
    line: 'if (known !== undefined && context.now < known.until) return known.identity;',
    to: 'false',
    why: 'a token is verified anew',
  },
  {
    file: 'src/guard/identity.ts',
    line: 'standing.tokens.set(token, { identity: found.identity, until });',
    why: 'a token is verified anew',
  },
  {
    file: 'src/guard/identity.ts',
    line: "roles: roles.filter((role) => role !== ''),",
    why: 'no bypass can name a role without letters',
  },
  {
    file: 'src/guard/sections.ts',
    line: 'const named = key === undefined ? undefined : context.standing.named.get(key);',
    to: 'context.standing.named.get(key)',
    why: 'nothing is kept under no key',
  },
  {
    file: 'src/guard/sections.ts',
    line: 'cuts.set(cutKey, cut);',
    why: 'the page is cut anew',
  },
  {
    file: 'src/guard/basic.ts',
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
    line: 'given ?? parseWatching(text, hasName, true, (tag) => replacementOf(tag) !== undefined);',
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
];
