import type { BypassCondition } from './bypass/bypass.js';
import type { Reason } from './decide.js';
import type { PassStanding } from './passes/pass.js';
import type { Refusal } from './places/request-target.js';

/** The refusals in words for owners. */
export const refusalWords: Record<Refusal, string> = {
  'not-a-path': 'it is no path',
  'bad-authority': 'what stands before its path is no plain `http://host` or `http://host:port`',
  'other-host': 'it names another host than the header `Host` does',
  'too-long': 'its path is longer than 4,096 characters',
  'too-many-parts': 'it has more than 128 parts',
  'control-character': 'it has a control character or a space in it',
  backslash: 'it has a backslash in it, which some servers take for a slash',
  'raw-non-ascii': 'it has letters beyond ASCII that are not percent-encoded',
  fragment: 'it has a `#` in it, which no browser sends',
  'bad-encoding': 'its percent-encoding is broken or no UTF-8',
  'double-encoding': 'it is percent-encoded twice',
  'dot-segment': 'it has a part that is only dots, which servers resolve differently',
  'stream-name': 'it names a file stream',
  'too-many-readings': 'it can be read in too many ways',
  'own-file': 'it names a file of Dorlin’s own, which nobody ever gets',
};

const standingWords: Record<PassStanding, string> = {
  counts: 'and it counts',
  ended: 'but that was rotated, retired or revoked since',
  'not-now': 'but that does not count at this time',
  'not-yet': 'but it was given in the future: a clock is wrong',
  'too-old': 'but it is older than the lock remembers',
  'visit-over': 'but it was for a visit that is over',
  'no-longer-remembered': 'but the lock now remembers for one visit only',
};

const conditionWords: Record<BypassCondition, string> = {
  address: 'another address',
  role: 'none of its roles',
  person: 'none of its people',
  'signed-in': 'not signed in',
  time: 'not at this time',
};

/** A canonical path as owners write it. */
export function readablePath(reading: string): string {
  return reading === '' ? '/ (the start page)' : reading;
}

/** One reason in one sentence, without a full stop. */
export function reasonText(reason: Reason): string {
  switch (reason.code) {
    case 'refused':
      return `the address is refused: ${refusalWords[reason.refusal]}`;
    case 'read-as':
      return `the address reads as ${readablePath(reason.reading)}`;
    case 'companion':
      return `the address may send the content of ${readablePath(reason.reading)} (${reason.kind}), which is locked by ${reason.locks.join(' or ')}`;
    case 'covered':
      return reason.nearest
        ? `lock ${reason.lock} covers it by ${reason.place}, and no other names it more closely`
        : `lock ${reason.lock} covers it by ${reason.place}, but does not decide here`;
    case 'out-of-time':
      return `lock ${reason.lock} covers it by ${reason.place}, but does not count at this time`;
    case 'left-out':
      return `lock ${reason.lock} leaves ${reason.place} out`;
    case 'no-lock':
      return `no lock covers ${readablePath(reason.reading)}`;
    case 'no-password':
      return `lock ${reason.lock} has no password and no link that would open it`;
    case 'requires':
      return `lock ${reason.lock} requires lock ${reason.required} to be open as well`;
    case 'bypass':
      return reason.unmet.length === 0
        ? `bypass ${reason.bypass} of lock ${reason.lock} lets the visitor in`
        : `bypass ${reason.bypass} of lock ${reason.lock} does not apply: ${reason.unmet
            .map((condition) => conditionWords[condition])
            .join(', ')}`;
    case 'no-pass':
      return `the visitor has no pass for lock ${reason.lock}`;
    case 'pass':
      return `the visitor has a pass for lock ${reason.lock} by ${reason.password}, ${standingWords[reason.standing]}`;
  }
}
