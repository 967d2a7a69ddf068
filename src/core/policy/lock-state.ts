import { isWithin } from '../windows/window.js';
import type { Lock } from './types.js';

/** Whether a lock shuts anything at a moment (seconds since 1970): switched on, and in its time. */
export function countsAt({ enabled, window }: Pick<Lock, 'enabled' | 'window'>, now: number): boolean {
  return enabled && isWithin(window, now);
}

/** Whether outsiders meet a screen on which a password can be typed. */
export function asksByScreen({ outsiders, passwords }: Pick<Lock, 'outsiders' | 'passwords'>): boolean {
  return outsiders === 'screen' && passwords.length > 0;
}
