import { randomBytes } from 'node:crypto';
import type { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import { entryToken } from '../core/passes/entry-link.js';
import { generateId } from '../core/passwords/generate.js';
import type { Lock, Policy } from '../core/policy/types.js';
import type { EntryLink } from '../core/policy/openers.js';
import type { LinkDocument } from '../core/policy/schema.js';
import { formatMoment } from '../core/windows/moment.js';
import { isWithin, readWindow } from '../core/windows/window.js';
import { safeTarget } from '../guard/visit/target.js';
import { openKeys } from '../stores/keeping.js';
import { readLinkUses } from '../stores/link-uses.js';
import { editPolicyFile, loadPolicy } from '../stores/policy-file.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import {
  addressOn,
  giveOut,
  handOutOf,
  mustBeFree,
  withHandingOut,
  writeSheet,
  type HandingOutOptions,
} from './handing-out.js';
import { columns, counted, paint, print, printJson } from './output.js';
import { freeLabel, lockNamed } from './password-writing.js';

interface LinkOptions extends CommonOptions, HandingOutOptions {
  readonly label?: string;
  readonly from?: string;
  readonly until?: string;
  readonly to?: string;
  readonly uses?: string;
  readonly list?: boolean;
  readonly show?: string;
  readonly revoke?: string;
}

/** How long a link counts if nobody says otherwise, in days. */
const usualDays = 14;

export function command(summary: string): Command {
  return withHandingOut(
    makePolicyCommand(
      'link',
      summary,
      "dorlin link press --label 'Herald desk' --until 2026-12-14 --to /press/embargoed/comet-recovery",
    )
      .usage('LOCK [options]')
      .argument('<lock>')
      .option('--label <label>', 'whom the link is for; only you see it')
      .option('--until <time>', `when it ends, such as 2026-12-14T18:00; else in ${usualDays} days`)
      .option('--from <time>', 'when it begins to count')
      .option('--to <path>', 'where it lands; else at the lock’s place')
      .option('--uses <count>', 'how many browsers it may let in; else any number')
      .option('--list', 'the links of the lock, without their addresses')
      .option('--show <link>', 'the address of a link again, by its label or id')
      .option('--revoke <link>', 'end a link, and every pass it gave'),
  ).action(link);
}

async function link(name: string, options: LinkOptions): Promise<void> {
  const { list: isListed, show: shown, revoke: revoked } = options;
  if ([isListed, shown, revoked].filter((one) => one !== undefined).length > 1) {
    throw new DorlinError('call-wrong', '--list, --show and --revoke exclude each other.');
  }
  if (isListed === true) return list(name, options);
  if (revoked !== undefined) return revoke(name, revoked, options);
  if (shown === undefined) return make(name, options);
  const policy = await loadPolicy(options.policy);
  const lock = lockNamed(policy, name);
  return tellOf(policy, lock, linkNamed(lock, shown), options);
}

async function make(name: string, options: LinkOptions): Promise<void> {
  // Whatever could fail is tried before anything is written.
  const policy = await loadPolicy(options.policy);
  const lock = lockNamed(policy, name);
  addressOn(policy, '/', options.origin);
  if (options.svg !== undefined) await mustBeFree(options.svg);
  const entry = entryFrom(lock, policy, options);
  const { after } = await editPolicyFile(options.policy, (editor) => {
    editor.addLink(name, entry);
  });
  const made = lockNamed(after, name);
  await tellOf(after, made, linkNamed(made, entry.id), options);
}

/** A link as it is written. @throws DorlinError `call-wrong` */
function entryFrom(lock: Lock, policy: Policy, options: LinkOptions): LinkDocument {
  const { from, to } = options;
  const { timeZone } = policy.site;
  const until = options.until ?? formatMoment(Date.now() / 1000 + usualDays * 86_400, timeZone);
  const window = readWindow({ from, until }, timeZone, 'opens');
  if ('problem' in window)
    throw new DorlinError('call-wrong', `--${window.key}: ${window.problem}.`);
  if (window.until !== undefined && window.until <= Date.now() / 1000) {
    throw new DorlinError(
      'call-wrong',
      `--until: ${until} is past, so the link would open nothing.`,
    );
  }
  if (to !== undefined && safeTarget(to) === undefined) {
    throw new DorlinError('call-wrong', `--to: \`${to}\` is no path on this site.`);
  }
  const uses = options.uses === undefined ? undefined : Number(options.uses);
  if (uses !== undefined && !(Number.isInteger(uses) && uses >= 1 && uses <= 100_000)) {
    throw new DorlinError('call-wrong', '`--uses` takes a whole number from 1 to 100,000.');
  }
  const label = options.label ?? freeLabel('Link', lock.links);
  if (lock.links.some((other) => other.label === label)) {
    throw new DorlinError('call-wrong', `${lock.name} has a link for ${label} already.`, {
      mend: `See its address with: dorlin link ${lock.name} --show '${label}'`,
    });
  }
  // Longer than those of passwords: a link has no hash by which a second one with its id would
  // be told from it.
  const taken = new Set(lock.openers.keys());
  const id = generateId(randomBytes, taken, 10);
  return {
    id,
    label,
    ...(from !== undefined && { from }),
    until,
    ...(to !== undefined && { to }),
    ...(uses !== undefined && { uses }),
  };
}

async function tellOf(
  policy: Policy,
  lock: Lock,
  { id, label, window, to, uses, ...rest }: EntryLink,
  options: LinkOptions,
): Promise<void> {
  const found = { id, label, window, to, uses, ...rest };
  const token = await entryToken(lock, found, policy, await openKeys(options.policy));
  const path = `${policy.site.prefix}/enter?link=${token}`;
  const address = addressOn(policy, path, options.origin);
  const given = { address, until: window.until, uses };
  const out = handOutOf(lock, policy, given, options);
  if (options.json === true) {
    const { text, mailto, sms } = out;
    if (options.svg !== undefined) await writeSheet(out, given, policy.site.name, options.svg);
    const until = momentText(window.until, policy);
    printJson({ lock: lock.name, id, label, address, until, to, uses, text, mailto, sms });
    return;
  }
  print(`${paint.bold(label)} enters ${lock.name} by this link, ${ends(found, policy)}:`);
  print();
  print(`  ${paint.bold(paint.cyan(address))}`);
  await giveOut(out, given, policy, options);
}

async function revoke(name: string, which: string, options: LinkOptions): Promise<void> {
  const { before } = await editPolicyFile(options.policy, (editor) => {
    editor.removeLink(name, linkNamed(lockNamed(editor.before, name), which).id);
  });
  const { id, label } = linkNamed(lockNamed(before, name), which);
  if (options.json === true) printJson({ lock: name, id, label });
  else print(`Revoked the link for ${paint.bold(label)}. Whoever came in by it is out as of now.`);
}

async function list(name: string, options: LinkOptions): Promise<void> {
  const policy = await loadPolicy(options.policy);
  const lock = lockNamed(policy, name);
  const taken = await readLinkUses(options.policy);
  const links = lock.links.map((one) => ({
    id: one.id,
    label: one.label,
    from: momentText(one.window.from, policy),
    until: momentText(one.window.until, policy),
    counts: isWithin(one.window, Date.now() / 1000),
    to: one.to,
    uses: one.uses,
    used: one.uses === undefined ? undefined : (taken[`${name}/${one.id}`] ?? 0),
  }));
  if (options.json === true) {
    printJson({ lock: name, links });
    return;
  }
  if (links.length === 0) {
    print(`${name} has no entry link. To make one: dorlin link ${name} --label 'Whom it is for'`);
    return;
  }
  const rows = links.map(({ id, label, from, until, counts, to, uses, used }) => [
    id,
    label,
    [from && `from ${from}`, `until ${until ?? ''}`].filter(Boolean).join(' ') +
      (counts ? '' : paint.yellow(' (not now)')),
    uses === undefined ? 'any number of uses' : `${used ?? 0} of ${counted(uses, 'use')} taken`,
    to ?? '',
  ]);
  print(columns([['id', 'label', '', '', 'lands at'].map((text) => paint.dim(text)), ...rows]));
}

/** @throws DorlinError `link-unknown` */
function linkNamed(lock: Lock, which: string): EntryLink {
  const found = lock.links.find(({ id, label }) => id === which || label === which);
  if (found !== undefined) return found;
  const all = lock.links.map(({ id, label }) => `${id} (${label})`).join(', ') || 'none';
  throw new DorlinError('link-unknown', `${lock.name} has no link \`${which}\`. It has: ${all}.`);
}

const momentText = (seconds: number | undefined, { site }: Policy) =>
  seconds === undefined ? undefined : formatMoment(seconds, site.timeZone);

function ends({ window, uses }: EntryLink, policy: Policy): string {
  const until = `until ${momentText(window.until, policy) ?? ''}`;
  return uses === undefined ? until : `${until} and ${counted(uses, 'time')} at most`;
}
