import type { Canonical } from './canonical.js';

/**
 * Files that are never for anybody, whatever the policy says, wherever they are and whoever serves them: the
 * policy, its draft, and everything in `.dorlin/` (the secret, the passwords to look up, the journal), with what
 * editors leave next to them and with short names of Windows (`DORLIN~1.YAM`).
 */
const ownFile = /^[.#~$]*dorlin(?:\.draft)?\.ya?ml|^dorlin~\d/;
const ownFolder = /^\.dorlin(?:$|[^a-z0-9])/;

/** A name as names are compared: `Locks.yaml` and `locks.yaml~` belong together. */
const isNamedAfter = (name: string, own: string) =>
  name === own || (name.startsWith(own) && !/^[\w-]/.test(name.slice(own.length)));

/**
 * Tells of canonical paths whether they name one of Dorlin's own files.
 *
 * @param more - names of further ones: of a policy that is not called `dorlin.yaml`, of a journal elsewhere
 */
export function ownNames(more: readonly string[] = []): (reading: string) => boolean {
  const others = more.map((name) => name.toLowerCase()).filter((name) => name !== '');
  return (reading) => {
    // Most addresses have neither.
    if (others.length === 0 && !mayBeOwn.test(reading)) return false;
    const parts = reading.toLowerCase().split('/');
    const last = (parts.at(-1) ?? '').replace(/^#/, '');
    return (
      parts.some((part) => ownFolder.test(part) || ownFile.test(part)) || others.some((own) => isNamedAfter(last, own))
    );
  };
}

const mayBeOwn = /dorlin/i;

/** A reader of request targets that refuses Dorlin's own files, and addresses that would send what is in them. */
export function refusingOwn(
  read: (target: string) => Canonical,
  isOwn: (reading: string) => boolean,
): (target: string) => Canonical {
  return (target) => {
    const canonical = read(target);
    if (!canonical.ok) return canonical;
    const { readings, companions = [] } = canonical;
    const isRefused = readings.some(isOwn) || companions.some(({ reading }) => isOwn(reading));
    return isRefused ? { ok: false, refusal: 'own-file' } : canonical;
  };
}
