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

let open: Promise<IDBDatabase> | undefined;

/**
 * The database, opened once; should the browser close it, once more.
 *
 * @param name - one for each site, as several may lie at one host
 */
function database(name: string): Promise<IDBDatabase> {
  open ??= openDatabase(name).catch((error: unknown) => {
    open = undefined;
    throw error;
  });
  return open;
}

async function openDatabase(name: string): Promise<IDBDatabase> {
  const opening = indexedDB.open(`dorlin ${name}`, 1);
  opening.onupgradeneeded = () => {
    opening.result.createObjectStore('locks', { keyPath: 'lock' });
    opening.result.createObjectStore('wrong');
  };
  const opened = await done(opening);
  opened.onclose = opened.onversionchange = () => {
    opened.close();
    open = undefined;
  };
  return opened;
}

async function store(name: string, mode: IDBTransactionMode, which = 'locks'): Promise<IDBObjectStore> {
  return (await database(name)).transaction(which, mode).objectStore(which);
}

export const heldKeys = async (site: string): Promise<HeldKey[]> =>
  done((await store(site, 'readonly')).getAll() as IDBRequest<HeldKey[]>);

export const holdKey = async (site: string, key: HeldKey): Promise<unknown> =>
  done((await store(site, 'readwrite')).put(key));

export const dropKey = async (site: string, lock: string): Promise<unknown> =>
  done((await store(site, 'readwrite')).delete(lock));

/** Counts one more wrong password at a lock, within an hour of the last. @returns how many there were */
export async function countWrong(site: string, lock: string): Promise<number> {
  const last = (await done((await store(site, 'readonly', 'wrong')).get(lock) as IDBRequest<unknown>)) as
    { count: number; at: number } | undefined;
  const count = last !== undefined && last.at > Date.now() - 3600_000 ? last.count + 1 : 1;
  await done((await store(site, 'readwrite', 'wrong')).put({ count, at: Date.now() }, lock));
  return count;
}

export const forgetWrong = async (site: string, lock: string): Promise<unknown> =>
  done((await store(site, 'readwrite', 'wrong')).delete(lock));
