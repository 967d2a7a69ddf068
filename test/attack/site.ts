import { accessOfStranger } from '../../src/core/access.js';
import { readPolicyOrThrow } from '../../src/core/policy/read.js';
import { targetOf } from '../../src/server/site-files.js';
import { policyText } from '../support/policies.js';

/** The files of the attacked site; each is nothing but its canary. */
const names = [
  'index.html',
  'about.html',
  'café.html',
  'notes+more.txt',
  'members/index.html',
  'members/log.html',
  'members/join.html',
  'members/rota/index.html',
  'members/été/index.html',
  'members/straße.pdf',
  'film.html',
  'film/extras.html',
  'press/index.html',
  'press/embargoed/comet.html',
  'press/embargoed/index.html',
  'a/b/c/d.html',
  'a/b/e.html',
  'log.csv',
  'data/2026/night.csv',
  'cgi-bin/report.py',
  'οδος.html',
  'λόγος.pdf',
  'trustees/minutes.html',
  '404.html',
];

export const canaryOf = (name: string) => `<<canary of ${name}>>`;

const locks = {
  members: { covers: ['/members/'], except: ['/members/join'], passwords: { aa: 'one' } },
  press: { covers: ['/press/embargoed/', '/café', '/**/*.csv', '/film'] },
  deep: { covers: ['/a/*/c/', '/cgi-bin/report.py'] },
  greek: { covers: ['/οδος', '/λόγος*'] },
  trustees: { covers: ['/trustees/'], outsiders: 'not-found' },
};

/** What is attacked: files, a policy, and which files nobody may get. */
export async function attackedSite() {
  const text = await policyText(locks, { trustedProxies: ['127.0.0.1/32'] });
  const policy = readPolicyOrThrow(text, 'attack');
  const files = Object.fromEntries(names.map((name) => [name, canaryOf(name)]));
  const locked = names.filter((name) => !accessOfStranger(policy, targetOf(`/${name}`), 0).open);
  /** The locked file that an answer gives away, if it does. */
  const leakIn = (body: string) =>
    body.includes('<<canary') ? locked.find((name) => body.includes(canaryOf(name))) : undefined;
  return { text, policy, files, names, locked, leakIn };
}

export type AttackedSite = Awaited<ReturnType<typeof attackedSite>>;
