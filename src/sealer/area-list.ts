import {
  areaName,
  keyId,
  makeAreaKey,
  makeDoors,
  namingKeys,
  sortedAlternatives,
  type Alternatives,
  type AreaDoor,
} from '../core/sealing/areas.js';
import type { Bytes } from '../core/sealing/bytes.js';
import type { SealedEntry, SealedPart } from '../core/sealing/site.js';
import type { AreaKeys } from './seal-file.js';

/** What is opened by the same locks, while it is sealed. */
export interface Area extends AreaKeys {
  readonly name: string;
  readonly doors: readonly AreaDoor[];
  /** Tells its key from any other, for what is remembered of the last time. */
  readonly mark: string;
  readonly index: {
    files: Record<string, SealedEntry>;
    parts: Record<string, { digest: string; parts: SealedPart[] }>;
  };
}

/** The areas of a site, each made when something is first sealed into it. */
export class AreaList {
  readonly #byAlternatives = new Map<string, Promise<Area>>();
  readonly #lockKeys: ReadonlyMap<string, Bytes>;

  constructor(lockKeys: ReadonlyMap<string, Bytes>) {
    this.#lockKeys = lockKeys;
  }

  of(alternatives: Alternatives): Promise<Area> {
    const text = JSON.stringify(sortedAlternatives(alternatives));
    const known = this.#byAlternatives.get(text) ?? this.#make(alternatives);
    this.#byAlternatives.set(text, known);
    return known;
  }

  async #make(alternatives: Alternatives): Promise<Area> {
    const [name, key] = await Promise.all([areaName(alternatives), makeAreaKey(alternatives, this.#lockKeys)]);
    const [doors, naming, mark] = await Promise.all([
      makeDoors(name, key, alternatives, this.#lockKeys),
      namingKeys(key),
      keyId(key),
    ]);
    return { name, key, doors, naming, mark, index: { files: {}, parts: {} } };
  }

  /** By name. */
  async all(): Promise<Area[]> {
    const all = await Promise.all(this.#byAlternatives.values());
    return all.sort((one, other) => (one.name < other.name ? -1 : 1));
  }
}
