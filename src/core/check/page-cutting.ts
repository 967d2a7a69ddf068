import { cutPage, readPage } from '../sections/cut.js';
import { NestedTooDeeply } from '../sections/watching-parser.js';
import type { ShutReason } from '../sections/uncut-words.js';
import { markAttribute } from '../sections/tree.js';

/** What comes of a page when its sections are cut out of it. */
export interface PageCutting {
  /** The start tags of sections that end before their own end tag, such as `<p id="walk">`. */
  readonly endsEarly: readonly string[];
  /** Why it is shut as a whole; undefined where it is not. */
  readonly uncut: ShutReason | undefined;
}

const hidden = { lock: '', kind: 'hidden' } as const;

/** Cuts every section out of a page, those with these ids and those that its author has marked. */
export function readCutting(text: string, ids: ReadonlySet<string>): PageCutting {
  try {
    const page = readPage(text, ids);
    const all = (names: Iterable<string>) => new Map([...names].map((name) => [name, hidden]));
    const cuts = { ids: all(page.ids), marks: all(page.marks) };
    const parsed = page.takeParsed();
    const endsEarly = (parsed?.tags ?? []).flatMap(({ tag }) => {
      const place = parsed?.places.get(tag.attrs);
      const isSection = tag.attrs.some(({ name, value }) => (name === 'id' ? ids.has(value) : name === markAttribute));
      const isEarly = isSection && place?.endsEarly === true;
      return isEarly ? text.slice(place.start, place.startEnd) : [];
    });
    const made = cutPage(text, cuts, { unlock: '', script: '' }, parsed);
    return { endsEarly, uncut: typeof made === 'string' ? made : undefined };
  } catch (error) {
    if (!(error instanceof NestedTooDeeply)) throw error;
    return { endsEarly: [], uncut: 'too-deep' };
  }
}
