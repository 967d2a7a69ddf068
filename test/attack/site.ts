import { accessOfStranger } from '../../src/core/access.js';
import { readPolicyOrThrow } from '../../src/core/policy/read.js';
import { targetOf } from '../../src/server/site-files.js';
import { policyText } from '../support/policies.js';
import { canaryOf, names } from './names.js';

const locks = {
  members: { covers: ['/members/'], except: ['/members/join'], passwords: { aa: 'one' } },
  press: { covers: ['/press/embargoed/', '/café', '/**/*.csv', '/film'] },
  deep: { covers: ['/a/*/c/', '/cgi-bin/report.py'] },
  greek: { covers: ['/οδος', '/λόγος*'] },
  trustees: { covers: ['/trustees/'], outsiders: 'not-found' },
};

/** What is attacked: files, a policy, and which files nobody may get. */
export async function attackedSite() {
  const site = { trustedProxies: ['127.0.0.1/32'] };
  const text = await policyText(locks, site);
  const policy = readPolicyOrThrow(text, 'attack');
  const files = Object.fromEntries(names.map((name) => [name, canaryOf(name)]));
  const locked = names.filter((name) => !accessOfStranger(policy, targetOf(`/${name}`), 0).open);
  /** The locked file that an answer gives away, if it does. */
  const leakIn = (body: string) =>
    body.includes('<<canary') ? locked.find((name) => body.includes(canaryOf(name))) : undefined;
  /** The same where no page has marks, so that web servers hand on by themselves. */
  const unmarked = await policyText(locks, { ...site, marks: false });
  return { text, unmarked, policy, files, names, locked, leakIn };
}

export type AttackedSite = Awaited<ReturnType<typeof attackedSite>>;
