import { lockToAsk, type Decision } from '../decide.js';
import { asksByScreen } from '../policy/lock-state.js';
import type { Lock } from '../policy/types.js';

/** What a decision comes to for whoever asks. */
export type Outcome =
  /** No lock: as it is. */
  | 'open'
  | 'let-in'
  /** The screen, asking for a password. */
  | 'asked'
  /** The browser's own prompt. */
  | 'prompted'
  /** The screen, with nothing to type. */
  | 'closed'
  /** The site's own answer to what is not there. */
  | 'hidden'
  | 'sent-away'
  /** The address cannot be read for certain. */
  | 'refused';

export function outcomeOf(decision: Decision): Outcome {
  return decision.kind === 'shut' ? outsiderOutcome(lockToAsk(decision.locks)) : decision.kind;
}

/** What an outsider gets at a lock. */
export function outsiderOutcome(lock: Lock): Outcome {
  const { outsiders, basic } = lock;
  if (basic === 'always') return 'prompted';
  if (typeof outsiders !== 'string') return 'sent-away';
  if (outsiders === 'not-found') return 'hidden';
  return asksByScreen(lock) ? 'asked' : 'closed';
}
