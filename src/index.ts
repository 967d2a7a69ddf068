/**
 * The parts that run anywhere: policy, decision, guard. For Node see `dorlin/node`.
 * @module
 */
export { DorlinError, errorTable, type DorlinErrorCode } from './core/errors.js';
export type {
  Clock,
  Counters,
  HashCost,
  HashVerifier,
  LinkUses,
  PasswordHasher,
  RandomBytes,
  Taken,
} from './core/ports.js';
export type { TokenKeys } from './core/bypass/token.js';
export type { Budget } from './core/guessing/budget.js';
export { decide, type Decision, type Question, type Reason } from './core/decide.js';
export { reasonText } from './core/reasons.js';
export { deriveKeys, type KeyChain, type Keys } from './core/passes/keys.js';
export { readPolicy, readPolicyOrThrow, type PolicyReading } from './core/policy/read.js';
export { editPolicy, type PolicyEditor } from './core/policy/edit.js';
export { reviewPolicies, type Review } from './core/policy/review.js';
export type { PolicyProblem } from './core/policy/problem.js';
export type { Lock, Policy } from './core/policy/compile.js';
export type { LockPassword } from './core/policy/openers.js';
export { targetReader, type Canonical } from './core/places/canonical.js';
export { normalTarget, type NormalTarget, type Refusal } from './core/places/request-target.js';
export type { PlaceRules } from './core/places/fold.js';
export { generatePassword, type GeneratedPassword } from './core/passwords/generate.js';
export { judgeStrength, type GuessEstimator, type Strength } from './core/passwords/strength.js';
export { renderScreen } from './core/screen/render.js';
export { makeScreen, type Screen } from './core/screen/screen.js';
export {
  screenJsonSchema,
  screenSchema,
  type ScreenDocument,
} from './core/screen/design/schema.js';
export { screenLanguages, type ScreenLanguage } from './core/screen/languages.js';
export type { ScreenState, ScreenView } from './core/screen/view.js';
export { createGuard, type Guard } from './guard/guard.js';
export type { GuardOptions } from './guard/context.js';
export type { Identity, Visitor } from './core/bypass/bypass.js';
export { entryOf, type JournalEntry } from './core/journal/entry.js';
export { summarize, type JournalSummary } from './core/journal/summary.js';
export type { GuardEvent } from './guard/events.js';
export type { Verdict, VerdictHeaders, Visit, VisitHeaders } from './guard/visit.js';
