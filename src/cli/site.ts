import type { Command } from 'commander';
import { changeSite, describeSite, siteKeys, type SiteStanding } from '../owner/site.js';
import { printChange } from './change-words.js';
import { makeEditCommand, type CommonOptions } from './command.js';
import { columns, listed, paint, print, printJson } from './output.js';
import { printKeys } from './setting-words.js';

/** Options that stand for a key: what is set, and what is said of it. */
const shortcuts = {
  name: ['name', '<text>', 'the name that visitors know it by'],
  origin: ['origin', '<url>', 'scheme and host of the live site'],
  folder: ['folder', '<dir>', 'the folder of the finished files, seen from the policy'],
  timeZone: ['timeZone', '<zone>', 'in which times are read and printed: Europe/Dublin'],
  languages: ['languages', '<tags>', 'that the screen may speak, the first the fallback: en-IE,fr'],
  sitemaps: ['sitemaps', '<paths>', 'where the site lists its pages'],
  feeds: ['feeds', '<paths>', 'where the site has feeds'],
  trustedProxies: ['trustedProxies', '<ranges>', 'whose word about visitors is believed'],
  showAddress: ['showAddress', '<yes|no>', 'whether visitors may ask for their own address'],
  signIn: ['identity.signIn', '<path>', 'the site’s own sign-in'],
  perVisitor: ['guessing.perVisitor', '<budget>', 'tries of one visitor: `10 per 15 minutes`'],
  perLock: ['guessing.perLock', '<budget>', 'tries at one lock: `100 per hour`'],
  mailFrom: ['mail.from', '<mailbox>', 'whom letters to visitors are from'],
  mailServer: ['mail.server', '<url>', 'the mail server: smtps://mail.example'],
} as const;

type SiteOptions = CommonOptions & { readonly keys?: boolean } & Partial<Record<keyof typeof shortcuts, string>>;

export function command(summary: string): Command {
  const made = makeEditCommand(
    'site',
    summary,
    "dorlin site\ndorlin site --name 'Kestrelmoor Observatory' --origin https://kestrelmoor.example\ndorlin site identity.jwt.cookie=session identity.jwt.jwks=https://kestrelmoor.example/jwks.json",
  )
    .usage('[KEY=VALUE…] [options]')
    .argument('[settings...]', 'any other key, as KEY=VALUE; nothing behind `=` takes it away')
    .option('--keys', 'the keys there are, and what each is for');
  for (const [name, [, value, about]] of Object.entries(shortcuts)) {
    made.option(`--${name.replace(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`)} ${value}`, about);
  }
  return made.action(site);
}

async function site(given: readonly string[], options: SiteOptions): Promise<void> {
  if (options.keys === true) {
    printKeys(siteKeys(), given, options.json);
    return;
  }
  const named = Object.entries(shortcuts).flatMap(([name, [key]]) => {
    const value = options[name as keyof typeof shortcuts];
    return value === undefined ? [] : [`${key}=${value === 'none' ? '' : value}`];
  });
  const settings = [...named, ...given];
  if (settings.length === 0) {
    const standing = await describeSite(options.policy);
    if (options.json === true) printJson(standing);
    else printSite(standing);
    return;
  }
  const changed = await changeSite(options.policy, settings);
  if (options.json === true) {
    printJson(changed);
    return;
  }
  print(`Set ${listed(changed.changed)}.`);
  const { groups, ways, putsOut } = changed;
  if (groups.length + ways.length > 0 || putsOut) printChange(changed);
}

/** Every setting that has a value, one a line. */
function printSite({ site: about, ...groups }: SiteStanding): void {
  const rows = [...rowsOf('', about), ...Object.entries(groups).flatMap(([name, group]) => rowsOf(name, group))];
  print(columns(rows));
  print();
  print(paint.dim('To set one: dorlin site KEY=VALUE. All there are: dorlin site --keys'));
}

function rowsOf(path: string, value: unknown): string[][] {
  if (value === undefined) return [];
  if (typeof value === 'object' && value !== null && !Array.isArray(value)) {
    return Object.entries(value).flatMap(([key, one]) => rowsOf(path === '' ? key : `${path}.${key}`, one));
  }
  const text = Array.isArray(value) ? value.join(', ') || paint.dim('none') : (value as number | string).toString();
  return [[paint.dim(path), value === true ? 'yes' : value === false ? 'no' : text]];
}
