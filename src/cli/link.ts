import type { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import { listLinks, makeLink, revokeLink, showLink, usualDays, type LinkShown } from '../owner/links.js';
import { makeEditCommand, type CommonOptions } from './command.js';
import { handOutOrder, printHandedOut, withHandingOut, type HandingOutOptions } from './hand-out-words.js';
import { columns, counted, paint, print, printJson } from './output.js';
import { printGivers } from './password.js';

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

export function command(summary: string): Command {
  return withHandingOut(
    makeEditCommand(
      'link',
      summary,
      "dorlin link press --label 'Herald desk' --until 2026-12-14 --to /press/embargoed/comet-recovery",
    )
      .usage('LOCK [options]')
      .argument('<lock>')
      .option('--label <label>', 'whom the link is for; only you see it')
      .option('--until <time>', `when it ends: 2026-12-14T18:00, or a span from now; else in ${usualDays} days`)
      .option('--from <time>', 'when it begins to count')
      .option('--to <path>', 'where it lands; else at the lock’s place')
      .option('--uses <count>', 'how many browsers it may let in; else any number')
      .option('--list', 'the links of the lock, without their addresses')
      .option('--show <link>', 'the address of a link again, by its label or id')
      .option('--revoke <link>', 'end a link, and every pass it gave'),
  ).action(link);
}

async function link(name: string, options: LinkOptions): Promise<void> {
  const { list: isListed, show: shown, revoke: revoked, policy } = options;
  if ([isListed, shown, revoked].filter((one) => one !== undefined).length > 1) {
    throw new DorlinError('call-wrong', '--list, --show and --revoke exclude each other.');
  }
  if (isListed === true) return list(name, options);
  if (revoked !== undefined) return revoke(name, revoked, options);
  if (shown !== undefined) {
    return tell(await showLink(policy, name, shown, handOutOrder(options)), options);
  }
  const { label, from, until, to } = options;
  const order = { label, from, until, to, uses: usesOf(options.uses) };
  return tell(await makeLink(policy, name, order, handOutOrder(options)), options);
}

function usesOf(text: string | undefined): number | undefined {
  if (text === undefined || /^\d+$/.test(text)) return text === undefined ? undefined : Number(text);
  throw new DorlinError('call-wrong', '`--uses` takes a whole number from 1 to 100,000.');
}

async function tell(shown: LinkShown, options: LinkOptions): Promise<void> {
  if (options.json === true) {
    printJson(shown);
    return;
  }
  const { lock, label, until, uses, handedOut } = shown;
  const times = uses === undefined ? '' : ` and ${counted(uses, 'time')} at most`;
  print(`${paint.bold(label)} enters ${lock} by this link, until ${until}${times}:`);
  print();
  print(`  ${paint.bold(paint.cyan(handedOut.address))}`);
  await printHandedOut(handedOut, options);
}

async function revoke(name: string, which: string, options: LinkOptions): Promise<void> {
  const revoked = await revokeLink(options.policy, name, which);
  if (options.json === true) {
    printJson(revoked);
    return;
  }
  print(`Revoked the link for ${paint.bold(revoked.label)}. Whoever came in by it is out as of now.`);
  printGivers(revoked.givenBy);
}

async function list(name: string, options: LinkOptions): Promise<void> {
  const found = await listLinks(options.policy, name);
  if (options.json === true) {
    printJson(found);
    return;
  }
  if (found.links.length === 0) {
    print(`${name} has no entry link. To make one: dorlin link ${name} --label 'Whom it is for'`);
    return;
  }
  const rows = found.links.map(({ id, label, from, until, counts, to, uses, used }) => [
    id,
    label,
    [from && `from ${from}`, `until ${until ?? ''}`].filter(Boolean).join(' ') +
      (counts ? '' : paint.yellow(' (not now)')),
    uses === undefined ? 'any number of uses' : `${used ?? 0} of ${counted(uses, 'use')} taken`,
    to ?? '',
  ]);
  print(columns([['id', 'label', '', '', 'lands at'].map((text) => paint.dim(text)), ...rows]));
}
