import type { Command } from 'commander';

/** A command: its name, what it does in one line, and its code, loaded when it is called. */
export interface ListedCommand {
  readonly name: string;
  readonly summary: string;
  readonly load: () => Promise<{ readonly command: (summary: string) => Command }>;
}

export const commandList: readonly ListedCommand[] = [
  { name: 'init', summary: 'start a policy for a site', load: () => import('./init.js') },
  {
    name: 'places',
    summary: 'the site’s pages, each with its lock',
    load: () => import('./places.js'),
  },
  {
    name: 'lock',
    summary: 'put places under a lock, and set how it is',
    load: () => import('./lock.js'),
  },
  {
    name: 'release',
    summary: 'take places out of their locks, or end a lock',
    load: () => import('./release.js'),
  },
  {
    name: 'password',
    summary: 'add, show, rotate, plan, change, retire, rehash, list, import or export passwords',
    load: () => import('./password.js'),
  },
  {
    name: 'link',
    summary: 'an address that opens a lock without a password',
    load: () => import('./link.js'),
  },
  {
    name: 'bypass',
    summary: 'let people in without a password',
    load: () => import('./bypass.js'),
  },
  {
    name: 'explain',
    summary: 'why an address is open or shut',
    load: () => import('./explain.js'),
  },
  {
    name: 'review',
    summary: 'what a changed policy would open and close',
    load: () => import('./review.js'),
  },
  {
    name: 'check',
    summary: 'likely mistakes, each with its mend',
    load: () => import('./check.js'),
  },
  {
    name: 'seal',
    summary: 'lock a site on a host without any code',
    load: () => import('./seal.js'),
  },
  {
    name: 'console',
    summary: 'the owner’s console, in a browser',
    load: () => import('./console.js'),
  },
  {
    name: 'patrol',
    summary: 'prove on the live site that it holds, as strangers and guests',
    load: () => import('./patrol.js'),
  },
  {
    name: 'live',
    summary: 'make all edits of a draft count at once',
    load: () => import('./live.js'),
  },
  {
    name: 'back',
    summary: 'take the last edit of the policy back',
    load: () => import('./back.js'),
  },
  {
    name: 'site',
    summary: 'what counts for the whole site: name, address, languages, budgets, mail',
    load: () => import('./site.js'),
  },
  {
    name: 'screen',
    summary: 'design what visitors see: new, edit, list, preview, check, tokens, export',
    load: () => import('./screen.js'),
  },
  {
    name: 'journal',
    summary: 'what happened at the locks',
    load: () => import('./journal.js'),
  },
  {
    name: 'requests',
    summary: 'who left an address at a screen, and agreed to what',
    load: () => import('./requests.js'),
  },
  {
    name: 'serve',
    summary: 'serve a folder or another server behind the locks',
    load: () => import('./serve.js'),
  },
  {
    name: 'authorize',
    summary: 'answer web servers that ask before they serve',
    load: () => import('./authorize.js'),
  },
  {
    name: 'snippet',
    summary: 'the configuration of nginx or Caddy that asks Dorlin',
    load: () => import('./snippet.js'),
  },
  {
    name: 'push',
    summary: 'bring the policy into the store that many machines share',
    load: () => import('./push.js'),
  },
  {
    name: 'pull',
    summary: 'bring a site from that store, to work on it here',
    load: () => import('./pull.js'),
  },
  {
    name: 'secret',
    summary: 'rotate or retire what signs passes and links',
    load: () => import('./secret.js'),
  },
  {
    name: 'demo',
    summary: 'a whole invented site to try it all on',
    load: () => import('./demo.js'),
  },
];

/** What `dorlin` and `dorlin --help` print. */
export function overview(): string {
  const width = Math.max(...commandList.map(({ name }) => name.length)) + 3;
  const lines = commandList.map(({ name, summary }) => `  ${name.padEnd(width)}${summary}`);
  return `dorlin: lock pages, folders or a whole site behind shared passwords

Usage: dorlin COMMAND [options]

${lines.join('\n')}

Start with \`dorlin demo\` to see it, or \`dorlin init FOLDER\` for your own site.
Each command tells more with --help, and speaks JSON with --json.
`;
}
