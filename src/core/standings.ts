import type { Policy } from './policy/types.js';

interface Remembered<Standing> {
  readonly policy: Policy;
  /** The moment for which it was found out; counts for every one where the policy has no windows. */
  readonly now: number;
  readonly standing: Standing;
}

/**
 * What stood before the addresses that were asked for last. To read an address letter by letter costs more
 * than all else of a decision (`npm run bench decision`), and most requests are for a few of them.
 *
 * Nothing but the answer for the same letters, by the same policy, is given again; of several policies
 * that are asked about one address the last one counts. Two generations, so that neither finding nor
 * forgetting takes a list: some 2 MB at most in a process, whatever is asked for.
 */
export class Standings<Standing> {
  #young = new Map<string, Remembered<Standing>>();
  #old = new Map<string, Remembered<Standing>>();

  /** What was found out for an address; undefined where that must be done (again). */
  get(policy: Policy, target: string, now: number): Standing | undefined {
    let found = this.#young.get(target);
    if (found === undefined) {
      found = this.#old.get(target);
      if (found === undefined) return undefined;
      this.#keep(target, found);
    }
    if (found.policy !== policy || (found.now !== now && policy.hasWindows)) return undefined;
    return found.standing;
  }

  set(policy: Policy, target: string, now: number, standing: Standing): void {
    // Longer ones are rare, and whoever asks for them decides how long.
    if (target.length <= maxLength) this.#keep(target, { policy, now, standing });
  }

  #keep(target: string, found: Remembered<Standing>): void {
    if (this.#young.size >= maxYoung) {
      this.#old = this.#young;
      this.#young = new Map();
    }
    this.#young.set(target, found);
  }
}

const maxLength = 256;
const maxYoung = 2048;
