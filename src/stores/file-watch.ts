import { resolve } from 'node:path';
import type { FSWatcher } from 'chokidar';

type Listener = () => void;

/** One watcher for all files that the process follows, made with the first and closed with the last. */
let watcher: Promise<FSWatcher> | undefined;
const listeners = new Map<string, Set<Listener>>();

/** How long to wait for a file that is to be followed and is not there, in milliseconds. */
const patience = 2000;

/**
 * Follows a file: the listener is called after every change, once the file has come to rest, and
 * when it goes or comes.
 *
 * @returns what ends it; resolved once changes are noticed
 */
export async function watchFile(file: string, listener: Listener): Promise<() => Promise<void>> {
  const path = resolve(file);
  const here = listeners.get(path) ?? new Set();
  listeners.set(path, here.add(listener));
  watcher ??= startWatcher();
  const started = await watcher;
  if (here.size === 1) {
    await new Promise<void>((ready) => {
      const timer = setTimeout(ready, patience);
      const found = (name: string) => {
        if (name !== path) return;
        clearTimeout(timer);
        started.off('add', found);
        ready();
      };
      started.on('add', found);
      started.add(path);
    });
  }
  return async () => {
    here.delete(listener);
    if (here.size > 0) return;
    listeners.delete(path);
    if (listeners.size > 0) started.unwatch(path);
    else {
      watcher = undefined;
      await started.close();
    }
  };
}

async function startWatcher(): Promise<FSWatcher> {
  // Loaded here, as only what goes on running follows files.
  const { watch } = await import('chokidar');
  // Editors write in several steps, or by renaming: only what has come to rest is read.
  const started = watch([], {
    atomic: true,
    awaitWriteFinish: { stabilityThreshold: 60, pollInterval: 20 },
  });
  // Unheard, it would end the process: what was read last counts on, and its owner is told.
  started.on('error', (error) => {
    process.emitWarning(`Files are no longer followed for certain: ${String(error)}`, {
      type: 'DorlinWarning',
      code: 'DORLIN_UNFOLLOWED',
    });
  });
  started.on('all', (_event, name) => {
    for (const listener of listeners.get(name) ?? []) listener();
  });
  return started;
}
