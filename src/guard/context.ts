import type { Identity } from '../core/bypass/bypass.js';
import { isInRanges, maskAddress, visitorAddress } from '../core/bypass/address.js';
import { parseForwarded } from '../core/bypass/forwarded.js';
import type { Budget } from '../core/guessing/budget.js';
import type { TokenKeys } from '../core/bypass/token.js';
import { readPasses, type Pass } from '../core/passes/pass.js';
import { isPatrolMark, patrolHeader } from '../core/passes/patrol-mark.js';
import type { KeyChain } from '../core/passes/keys.js';
import type { Policy } from '../core/policy/types.js';
import type { KeptFile } from '../core/screen/kept-file.js';
import type { Clock, Counters, HashVerifier, PasswordHasher, RandomBytes } from '../core/ports.js';
import type { LinkUses, RequestDesk } from '../core/site-ports.js';
import type { Question } from '../core/decide.js';
import { sharedCaches, type GuardCaches } from './caches.js';
import { readCookies, type VisitCookies } from './visit/cookies.js';
import type { GuardEvent } from './events.js';
import type { GuardedSite } from './guarded-site.js';
import { headerOf, listHeaderOf, type Visit } from './visit/visit.js';

/** What a guard needs from outside. */
export interface GuardOptions {
  /**
   * The policy that counts for a visit at this moment, at once or by a promise; undefined where none
   * is known for its host. Asked at every request, so it must be quick, and give the same object as long
   * as nothing has changed. Nothing in the visit is trusted yet.
   */
  readonly policyFor: (visit: Visit) => Policy | undefined | Promise<Policy | undefined>;
  /**
   * The policy before one of these, while what the new one opens does not count yet: both must let a
   * visitor in. @default none
   */
  readonly former?: ((policy: Policy) => Policy | undefined) | undefined;
  /**
   * The keys that sign and verify: one chain for all, or that of each policy, so that none of one site
   * counts at another. Asked at each visit, so it must be quick, and give the same object as long as
   * nothing has changed.
   */
  readonly keys: KeyChain | ((policy: Policy) => KeyChain);
  /** May reject with a DorlinError `hashing-busy`; the visitor is then asked to come back. */
  readonly hasher: PasswordHasher;
  /** Checks the hashes of htpasswd files; may reject as `hasher` may. */
  readonly verifier: HashVerifier;
  readonly counters: Counters;
  /**
   * Names of files of Dorlin's own besides the usual ones, such as that of a policy which is not called
   * `dorlin.yaml`. Nobody gets a file of such a name, in whatever folder. @default none
   */
  readonly ownNames?: readonly string[] | undefined;
  /**
   * How many tries all locks of one site may take together, whatever its policy says: where there are many
   * sites, none may have the time of all for its guesses. @default as many as its locks allow
   */
  readonly perSite?: Budget | undefined;
  readonly linkUses: LinkUses;
  /** Sends letters to visitors. Without it, those who ask for one are told that it failed. */
  readonly requests?: RequestDesk | undefined;
  /** Awaited before a try beyond the budget is told so, to slow a flood. @default no delay */
  readonly refusalDelay?: (() => Promise<void>) | undefined;
  /**
   * Pictures and fonts that owners keep for their screens, by name; they are sent to everybody, under
   * `assets/kept/`. Undefined: there is none of that name. @default there are none
   */
  readonly keptFile?: ((policy: Policy, name: string) => Promise<KeptFile | undefined>) | undefined;
  /** Finds the keys for `identity.jwt`. Without it, nobody is known by a token. */
  readonly tokenKeys?: TokenKeys | undefined;
  readonly random: RandomBytes;
  readonly clock: Clock;
  /** What is remembered of what was read and made. @default one set for all guards of the process */
  readonly caches?: GuardCaches | undefined;
  /**
   * Says who a visitor is, where the application knows: from its own session, say. Asked only at
   * locked places. Nothing in the visit is trusted yet but the connection's address: roles and
   * people must come from something the application has verified. Undefined: not known here, so
   * the policy's own `identity` is asked. If it fails, the visitor is nobody.
   */
  readonly identify?: ((visit: Visit) => Identity | undefined | Promise<Identity | undefined>) | undefined;
  /**
   * The names of the locks by which sections of the page at a path are marked by their author. Asked for web servers
   * that show the guard no pages, and for addresses that send the data of a page. Undefined: nobody knows before the
   * page is answered. @default marks are known of pages that the guard has seen
   */
  readonly marksOf?: ((path: string) => Promise<ReadonlySet<string> | undefined>) | undefined;
  /** Whether changes of a policy wait in a draft; those let in by a bypass are told. */
  readonly hasDraft?: ((policy: Policy) => boolean) | undefined;
  /**
   * Told of each thing that happens at a lock. The path and the address in it come from the
   * visitor and are to be shown with care; passwords and tokens are never in it. The policy is that of
   * the site; undefined where none was found.
   */
  readonly onEvent?: ((event: GuardEvent, policy?: Policy) => void) | undefined;
}

/** All that a decision is made from but the address. */
export type Facts = Omit<Question, 'target'>;

/** All that is at hand while one visit is answered. What is read of the visit is read once. */
export class GuardContext {
  /** What is known of the visitor; kept by `factsOf`. */
  facts: Facts | Promise<Facts> | undefined;
  #isSecure: boolean | undefined;
  #cookies: VisitCookies | undefined;

  constructor(
    readonly options: GuardOptions,
    readonly guarded: GuardedSite,
    readonly visit: Visit,
    /** The target of the visit in its normal form: what is judged, and what is passed on. */
    readonly target: string,
    /** In seconds since 1970. */
    readonly now: number,
  ) {}

  get keys(): KeyChain {
    return this.guarded.keys;
  }
  get caches(): GuardCaches {
    return this.options.caches ?? sharedCaches();
  }
  /** Whether the visitor's own connection is encrypted, up to here or up to a trusted proxy. */
  get isSecure(): boolean {
    return (this.#isSecure ??= isSecureVisit(this.visit, this.guarded.policy));
  }
  get cookies(): VisitCookies {
    return (this.#cookies ??= readCookies(this.visit, this.isSecure, this.now));
  }
}

type WithoutAddress<Event> = Event extends GuardEvent ? Omit<Event, 'address'> : never;

/** Tells the listener what happened, with the visitor's address masked. */
export function tell(
  { options, guarded, visit }: Pick<GuardContext, 'options' | 'guarded' | 'visit'>,
  event: WithoutAddress<GuardEvent>,
): void {
  const { onEvent, clock } = options;
  const { keys, policy } = guarded;
  if (onEvent === undefined) return;
  // Whoever is refused asks for the screen next.
  if (visit.isBeforehand === true && (event.type === 'asked' || event.type === 'closed')) return;
  const told: GuardEvent = { ...event, address: maskAddress(addressOf({ guarded, visit })) };
  const mark = headerOf(visit, patrolHeader);
  if (mark === undefined) {
    onEvent(told, policy);
    return;
  }
  // The visit is answered meanwhile: this is for the owner's counts alone, and whoever listens may fail.
  void isPatrolMark(mark, guarded.audience, clock(), keys)
    .then((isPatrol) => {
      onEvent(isPatrol ? { ...told, patrol: true } : told, policy);
    })
    .catch(() => undefined);
}

/** The visitor's address, as far as it is known for certain. */
export function addressOf({ guarded, visit }: Pick<GuardContext, 'guarded' | 'visit'>): string | undefined {
  const told = {
    forwardedFor: listHeaderOf(visit, 'x-forwarded-for'),
    forwarded: listHeaderOf(visit, 'forwarded'),
  };
  return visitorAddress(visit.address, told, guarded.policy.site.trustedProxies);
}

/** The verified passes of a visit; at once where there are none, or were verified before. */
export function passesIn(
  { passes: cookie }: VisitCookies,
  { guarded, caches }: GuardContext,
): readonly Pass[] | Promise<readonly Pass[]> {
  if (cookie === undefined) return [];
  const known = caches.verified.get(guarded.number, cookie);
  if (known !== undefined) return known;
  return readPasses(cookie, guarded.audience, guarded.keys).then((passes) => {
    // Only what was signed by us is kept: a flood of forgeries must not push it out.
    if (passes.length > 0) caches.verified.set(guarded.number, cookie, passes);
    return passes;
  });
}

/** Whether the visitor's connection is encrypted; a proxy is believed only where it is trusted. */
export function isSecureVisit(visit: Visit, policy: Policy): boolean {
  if (visit.encrypted) return true;
  if (!isInRanges(visit.address, policy.site.trustedProxies)) return false;
  const schemes = [listHeaderOf(visit, 'x-forwarded-proto')?.split(',').at(-1), lastHop(visit)?.proto].filter(
    (scheme) => scheme !== undefined,
  );
  return schemes.length > 0 && schemes.every((scheme) => scheme.trim().toLowerCase() === 'https');
}

/** What the proxy that hands on the request tells of it in `Forwarded`. */
export function lastHop(visit: Visit) {
  const forwarded = listHeaderOf(visit, 'forwarded');
  return forwarded === undefined ? undefined : parseForwarded(forwarded)?.at(-1);
}
