import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';
import type { Sections } from '../../core/decide-section.js';
import { bytesOf } from '../../core/letters.js';
import type { PageLetters } from '../../core/sections/charset.js';
import {
  cuttingSteps,
  readingSteps,
  type CutAddresses,
  type CutPage,
  type Cuts,
  type UncutReason,
} from '../../core/sections/cut.js';
import { atOnce, withPauses, type Steps } from '../../core/steps.js';
import type { KnownPage } from '../caches.js';
import type { GuardContext } from '../context.js';

/** A page that is read and cut, the sections that are looked for in it, and how others get a turn meanwhile. */
export class PageSource {
  #key: string | undefined;

  /** @param pause - gives other visits a turn; undefined where nobody waits */
  constructor(
    readonly letters: PageLetters,
    readonly sections: Sections,
    readonly pause: (() => Promise<void>) | undefined,
  ) {}

  /** Tells it from any other page, and from itself in another encoding. Made once: of a long page it is a digest. */
  get key(): string {
    if (this.#key !== undefined) return this.#key;
    const { letters: text, readValue } = this.letters;
    const content = text.length > mostOfKey ? `sha256 ${bytesToHex(sha256(bytesOf(text)))}` : text;
    return (this.#key = `${[...this.sections.keys()].join(' ')}\n${readValue(tellingBytes)}\n${content}`);
  }
}

/** Letters from which on a page is read and cut in steps: it takes longer than others should wait. */
const longPage = 250_000;

/** Pages that are being read or cut, so that many visits at once cost as much as one. */
const underWay = new Map<string, Promise<unknown>>();

/** Does some work on a page: at once, or with pauses if it is long; the same work for many visits once. */
function worked<Result>(
  key: string,
  { letters, pause }: PageSource,
  steps: () => Steps<Result>,
): Result | Promise<Result> {
  if (pause === undefined || letters.letters.length < longPage) return atOnce(steps());
  const before = underWay.get(key) as Promise<Result> | undefined;
  if (before !== undefined) return before;
  const work = withPauses(steps(), pause).finally(() => underWay.delete(key));
  underWay.set(key, work);
  return work;
}

/** A page of more letters is known by its digest: as a key it would take more room than its cut has. */
const mostOfKey = 200_000;

/** Bytes that hardly two encodings read alike: the same bytes under another charset are another page. */
const tellingBytes = '\xc3\xa9\x82\xa0\xe9';

/**
 * What is known of a page by its text, read now or before.
 * @throws NestedTooDeeply
 */
export function knownPage({ guarded, caches }: GuardContext, source: PageSource): KnownPage | Promise<KnownPage> {
  const key = source.key;
  const known = caches.pages.get(guarded.number, key);
  if (known !== undefined) return known;
  const { letters, sections } = source;
  return worked(`${guarded.number} read ${key}`, source, function* () {
    const read = yield* readingSteps(letters.letters, new Set(sections.keys()), letters.readValue);
    const page: KnownPage = { read, cuts: new Map() };
    caches.pages.set(guarded.number, key, page);
    return page;
  });
}

/** The text of a page without its sections, cut now or before; why not, where it is not certain. */
export function cutOf(
  { guarded, caches }: GuardContext,
  source: PageSource,
  { read, cuts }: KnownPage,
  what: Cuts,
  cutKey: string,
): CutPage | UncutReason | Promise<CutPage | UncutReason> {
  const known = cuts.get(cutKey);
  if (known !== undefined) return known;
  const { letters } = source;
  const key = source.key;
  return worked(`${guarded.number} cut ${key}\n${cutKey}`, source, function* () {
    const addresses = addressesOf(guarded);
    const cut = yield* cuttingSteps(letters.letters, what, addresses, read.takeParsed(), letters.readValue);
    cuts.set(cutKey, cut);
    // Told again, as it is larger now.
    caches.pages.set(guarded.number, key, { read, cuts });
    return cut;
  });
}

function addressesOf({ policy, sectionStyles }: GuardContext['guarded']): CutAddresses {
  const { prefix } = policy.site;
  return {
    unlock: `${prefix}/unlock`,
    script: `${prefix}/page.js`,
    styleOf: (screen) => {
      const name = sectionStyles.get(screen);
      return name === undefined ? undefined : `${prefix}/assets/${name}`;
    },
  };
}
