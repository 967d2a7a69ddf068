import type { Policy } from '../core/policy/types.js';
import type { GuardEvent } from './events.js';
import type { Visit } from './visit/visit.js';

/** The policies of one site or of many, as they change. */
export interface PolicySource {
  /** Whether changes of a policy wait in a draft; those let in by a bypass are told. */
  readonly hasDraft?: ((policy: Policy) => boolean) | undefined;
  /** The policy that counts for a visit; undefined where none is known for its host. */
  policyFor(visit: Visit): Policy | undefined | Promise<Policy | undefined>;
  /** The policy before one of these, while both count. */
  former?(policy: Policy): Policy | undefined;
  /** Stops following changes. */
  close(): Promise<void>;
}

/** The record of what happens at the locks. */
export interface Journal {
  /** Never waits and never throws. The policy is that of the site; undefined where none was found. */
  note(event: GuardEvent, policy?: Policy): void;
  /** Waits until all is written. */
  settled(): Promise<void>;
}
