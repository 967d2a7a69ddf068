import { join } from 'node:path';
import { toBase64Url } from '../core/sealing/bytes.js';
import type { SealedEntry } from '../core/sealing/site.js';
import type { Area } from './area-list.js';
import type { OutFolder } from './out-folder.js';
import { named, packed, writeSealed, type Content } from './seal-file.js';
import type { Threads } from './threads.js';

/** Text packs well; what is packed already does not, and is asked for in ranges. */
const packs =
  /^(?:text\/|application\/(?:json|xml|javascript|manifest\+json|ld\+json|rss\+xml|atom\+xml)|image\/svg|font\/(?:ttf|otf))/;

/** Larger ones are read piece by piece. */
const mostInMemory = 8 * 1024 * 1024;

/** Whether a file is sealed without being held as a whole. */
export const isLarge = (type: string, size: number): boolean => size > mostInMemory && !packs.test(type);

/** Seals contents into areas, unless they lie there already. */
export class ContentSealer {
  /** How many contents were sealed anew, of files and parts of pages. */
  anew = 0;
  readonly #target: OutFolder;
  readonly #threads: Threads;

  constructor(target: OutFolder, threads: Threads) {
    this.#target = target;
    this.#threads = threads;
  }

  async seal(path: string, type: string, bytes: Uint8Array, area: Area): Promise<SealedEntry> {
    const inside = packs.test(type) ? await packed(bytes) : bytes;
    const isPacked = inside.length < bytes.length;
    const entry = await this.#counted(path, { bytes: isPacked ? inside : bytes }, area);
    return { ...entry, type, size: bytes.length, ...(isPacked && { packed: true as const }) };
  }

  async sealLarge(
    path: string,
    type: string,
    content: { file: string; size: number },
    area: Area,
  ): Promise<SealedEntry> {
    return { ...(await this.#counted(path, content, area)), type, size: content.size };
  }

  /** @returns the name of its file */
  async sealIndex(area: Area, bytes: Uint8Array): Promise<string> {
    return (await this.#sealContent(`index ${area.name}`, { bytes }, area)).entry.blob;
  }

  async #counted(path: string, content: Content, area: Area): Promise<Pick<SealedEntry, 'blob' | 'salt'>> {
    const { entry, isAnew } = await this.#sealContent(path, content, area);
    if (isAnew) this.anew++;
    return entry;
  }

  async #sealContent(path: string, content: Content, area: Area) {
    const what = await named(path, content, area, this.#threads);
    const place = join('/_dorlin/sealed', what.blob);
    const isAnew = !this.#target.keep(place);
    if (isAnew) await writeSealed(this.#target.place(place), what, area, this.#threads);
    return { entry: { blob: what.blob, salt: toBase64Url(what.salt) }, isAnew };
  }
}
