import type { AreaDoor } from './areas.js';

/** What a browser needs to know of a sealed site before it has any key: `_dorlin/sealed.json`. */
export interface SealedSite {
  readonly sealed: 1;
  readonly indexFiles: readonly string[];
  readonly extensions: readonly string[];
  readonly locks: Readonly<Record<string, SealedLock>>;
  /** By name; the file of its index is another one with each change of it. */
  readonly areas: Readonly<Record<string, SealedArea>>;
  /** Languages in which there are screens, the site's own first. */
  readonly languages: readonly string[];
}

/** What is opened by the same locks. */
export interface SealedArea {
  readonly doors: readonly AreaDoor[];
  /** The name of the file of its index under `_dorlin/sealed/`. */
  readonly index: string;
}

export interface SealedLock {
  /** Of its key: another one where the lock was given a new key. */
  readonly key: string;
  /** Seconds; 0: until the browser closes. */
  readonly remember: number;
  /** Whether the visitor is asked, by a box that is ticked. */
  readonly isChoice: boolean;
  /** Where so many wrong passwords lead. */
  readonly wrong?: { readonly after: number; readonly redirect: string } | undefined;
  /** Whether it has a screen that asks; else nothing is to be typed. */
  readonly asks: boolean;
}

/** One sealed file, as the index of its area has it. */
export interface SealedEntry {
  /** The name of its file under `_dorlin/sealed/`. */
  readonly blob: string;
  /** The salt that it begins with: another file of the same area in its place is not it. */
  readonly salt: string;
  readonly type: string;
  /** Bytes of the content, unpacked. */
  readonly size: number;
  /** Whether it is packed by gzip inside. */
  readonly packed?: true | undefined;
}

/** A part of a page that is public, in whose place a form stands. */
export interface SealedPart {
  /** Where what stands in its place begins and ends in the public file, in bytes. */
  readonly start: number;
  readonly end: number;
  readonly entry: SealedEntry;
}

/** What is in an area: itself sealed. */
export interface AreaIndex {
  /** By lock: where a visitor lands who opens it; without an entry, at the page that was asked for. */
  readonly landing: Readonly<Record<string, string>>;
  readonly files: Readonly<Record<string, SealedEntry>>;
  /** By the path of the public file; with its digest, as parts are counted in its bytes. */
  readonly parts: Readonly<Record<string, { readonly digest: string; readonly parts: readonly SealedPart[] }>>;
}
