/**
 * What opens a sealed site, for an application of one's own: on WebCrypto alone, in any browser or runtime that
 * has it. The worker of sealed sites is written with the same.
 *
 * Nothing here is to be trusted before it has been opened: what `openDoor`, `openKeyring` and `openBytes` give
 * back has been authenticated, what describes the site (`_dorlin/sealed.json`) has not.
 *
 * @example
 * const site = await (await fetch('_dorlin/sealed.json')).json() as SealedSite;
 * const keyring = await (await fetch('_dorlin/locks/members.json')).json() as Keyring;
 * const opened = await openKeyring(keyring, normalizePassword(typed));
 * @module
 */
export { normalizePassword } from './core/passwords/normalize.js';
export { openDoor, type AreaDoor } from './core/sealing/areas.js';
export type { Bytes, SealingKey } from './core/sealing/bytes.js';
export { openKeyring, type Keyring, type OpenedKeyring } from './core/sealing/keyring.js';
export { readHeader } from './core/sealing/records.js';
export { fileKey, openBytes, openRecord, type FileKey } from './core/sealing/sealed-bytes.js';
export type { AreaIndex, SealedArea, SealedEntry, SealedLock, SealedPart, SealedSite } from './core/sealing/site.js';
