/**
 * The parts that run anywhere: policy, decision, guard. For Node see `dorlin/node`.
 * @module
 */
export { DorlinError, errorTable, type DorlinErrorCode } from './core/errors.js';
export type {
  Argon2Cost,
  Clock,
  Counters,
  HashCost,
  HashVerifier,
  PasswordHasher,
  Pbkdf2Cost,
  RandomBytes,
  Taken,
} from './core/ports.js';
export type { LinkUses } from './core/site-ports.js';
export type { TokenIdentity, TokenKeys } from './core/bypass/token.js';
export type { Budget } from './core/guessing/budget.js';
export { decide, type Decision, type Question, type Reason } from './core/decide.js';
export {
  decideSection,
  sectionsAt,
  splitFragment,
  type SectionDecision,
  type SectionLocks,
  type Sections,
} from './core/decide-section.js';
export { reasonText } from './core/reasons.js';
export { wouldChange } from './core/explain/would-change.js';
export { newPass } from './core/passes/pass.js';
export { deriveKeys, type KeyChain, type Keys } from './core/passes/keys.js';
export { readPolicy, readPolicyOrThrow, type PolicyReading } from './core/policy/read.js';
export { editPolicy } from './core/policy/edit.js';
export { reviewPolicies, type Review } from './core/policy/review.js';
export type { PolicyProblem } from './core/policy/problem.js';
export type { Lock, Policy } from './core/policy/types.js';
export type { LockPassword } from './core/policy/openers.js';
export { targetReader, type Canonical, type Companion } from './core/places/canonical.js';
export { normalTarget, type NormalTarget, type Refusal } from './core/places/request-target.js';
export type { PlaceRules } from './core/places/fold.js';
export { generatePassword, type GeneratedPassword } from './core/passwords/generate.js';
export { judgeStrength, type GuessEstimator, type Strength } from './core/passwords/strength.js';
export { renderScreen } from './core/screen/render.js';
export { makeScreen, type Screen } from './core/screen/screen.js';
export type {
  ControlDocument,
  FontFileDocument,
  Layout,
  LogoDocument,
  SomeOf,
  Scheme,
  ScreenDocument,
  Width,
} from './core/screen/design/document.js';
export { screenJsonSchema, screenSchema } from './core/screen/design/schema.js';
export { textKeys, type TextKey } from './core/screen/design/text-keys.js';
export { screenLanguages, type ScreenLanguage } from './core/screen/languages.js';
export type { ScreenState, ScreenView } from './core/screen/view.js';
export { createGuard, type Guard } from './guard/guard.js';
export type { GuardOptions } from './guard/context.js';
export type { Identity, Visitor } from './core/bypass/bypass.js';
export { summarize, type JournalSummary } from './core/journal/summary.js';
export type { GuardEvent } from './guard/events.js';
export type { Verdict, VerdictHeaders, Visit, VisitHeaders } from './guard/visit/visit.js';
export type { Bypass, BypassCondition } from './core/bypass/bypass.js';
export { entryOf, journalTypes, type Happened, type JournalEntry, type JournalType } from './core/journal/entry.js';
export type { LockSummary, OpenerSummary } from './core/journal/summary.js';
export type { Pass, PassStanding } from './core/passes/pass.js';
export type { HashAlgorithm, PasswordHash } from './core/passwords/phc.js';
export type { CoverIndex, Spoken, Statement } from './core/places/cover-index.js';
export type { ParsedPlace, PatternPart, Place } from './core/places/place.js';
export type { BypassEntry, PasswordEntry, PolicyEditor } from './core/policy/editor.js';
export type { EntryLink, ImportedUser, Opener, Openers } from './core/policy/openers.js';
export type { LockRequest } from './core/policy/requests.js';
export type { ReviewGroup, ReviewWay } from './core/policy/review.js';
export { policySchema } from './core/policy/schema.js';
export type * from './core/policy/document.js';
export type { Letter, RequestDesk, RequestEntry } from './core/site-ports.js';
export type { Block, BlockPicture, RequestDocument } from './core/screen/design/block-schema.js';
export type { Control, Design, Look, Palette } from './core/screen/design/design.js';
export type { Texts } from './core/screen/design/parts.js';
export {
  colorRoles,
  positions,
  shadows,
  type ColorRole,
  type Position,
  type Shadow,
} from './core/screen/design/roles.js';
export { lookNames, type LookName } from './core/screen/looks/names.js';
export { screenStates, type RequestFault, type RequestForm } from './core/screen/view.js';
export type { ScreenWords } from './core/screen/words/type.js';
export type { UncutReason } from './core/sections/cut.js';
export type { ShutReason } from './core/sections/uncut-words.js';
export type { Window } from './core/windows/window.js';
export { GuardCaches } from './guard/caches.js';
export type { Journal, PolicySource } from './guard/policy-source.js';
export type { Answer, FilteredPage, PageFilter, RepeatedPage, ServedPage } from './guard/visit/visit.js';
export type { Color } from './core/screen/design/color.js';
export type { KeptFile } from './core/screen/kept-file.js';
