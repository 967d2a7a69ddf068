/** What this browser has opened, as IndexedDB holds it: keys whose bytes no script can have. */
export interface HeldKey {
  readonly lock: string;
  readonly key: CryptoKey;
  /** Which key of the lock it is: another, once the lock has a new one. */
  readonly id: string;
  /** In milliseconds since 1970. */
  readonly ends: number;
  /** Of those that are to last for this visit: the mark in a cookie that ends with it. */
  readonly visit?: string | undefined;
}

const done = <T>(request: IDBRequest<T>) =>
  new Promise<T>((resolve, reject) => {
    request.onsuccess = () => {
      resolve(request.result);
    };
    request.onerror = () => {
      reject(request.error ?? new Error('the browser keeps nothing'));
    };
  });

/** @param name - one for each site, as several may lie at one host */
async function store(name: string, mode: IDBTransactionMode): Promise<IDBObjectStore> {
  const opening = indexedDB.open(`dorlin ${name}`, 1);
  opening.onupgradeneeded = () => {
    opening.result.createObjectStore('locks', { keyPath: 'lock' });
  };
  const database = await done(opening);
  return database.transaction('locks', mode).objectStore('locks');
}

export const heldKeys = async (site: string): Promise<HeldKey[]> =>
  done((await store(site, 'readonly')).getAll() as IDBRequest<HeldKey[]>);

export const holdKey = async (site: string, key: HeldKey): Promise<unknown> =>
  done((await store(site, 'readwrite')).put(key));

export const dropKey = async (site: string, lock: string): Promise<unknown> =>
  done((await store(site, 'readwrite')).delete(lock));
