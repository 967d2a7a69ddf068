import { ownEntryToken, entryToken } from '../../src/core/passes/entry-link.js';
import { deriveKeys } from '../../src/core/passes/keys.js';
import { audienceOf } from '../../src/core/passes/pass.js';
import { isPatrolMark, patrolMark } from '../../src/core/passes/patrol-mark.js';
import { testGuard, testSecret } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';
import { seededRandom, type Random } from '../support/random.js';
import { isOver, type Attacked, type Limits } from './on-targets.js';

const letters = 'abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-_.~%=+/ ';

/** A token with something else in the place of a part of it, or parts of several. */
function spoiled(tokens: readonly string[], random: Random): string {
  const one = tokens[random.below(tokens.length)] ?? '';
  const other = tokens[random.below(tokens.length)] ?? '';
  const at = random.below(one.length);
  const letter = letters[random.below(letters.length)] ?? '';
  switch (random.below(6)) {
    case 0:
      return one.slice(0, at) + letter + one.slice(at + 1);
    case 1:
      return one.slice(0, at) + one.slice(at + 1 + random.below(3));
    case 2:
      return one.slice(0, at) + letter + one.slice(at);
    case 3: {
      // Parts of one in the places of those of another.
      const [these, those] = [one.split('.'), other.split('.')];
      return these.map((part, place) => (random.chance() ? part : (those[place] ?? part))).join('.');
    }
    case 4: {
      const parts = one.split('.');
      parts.splice(random.below(parts.length), random.below(2), other.split('.')[random.below(5)] ?? letter);
      return parts.join('.');
    }
    default:
      return one.slice(0, at) + other.slice(at);
  }
}

/** Entry links, those of one's own and the marks of patrols, spoiled in every way: none counts. */
export async function attackLinks(limits: Limits): Promise<Attacked> {
  const link = (id: string) => ({ id, label: id, until: '2999-01-01' });
  const policy = await testPolicy({
    press: { covers: ['/press/'], links: [link('herald99'), link('other999')] },
    desk: { covers: ['/desk/'], links: [link('herald99')] },
  });
  const now = 1_800_000_000;
  const { guard } = await testGuard(policy, { clock: () => now });
  const keys = await deriveKeys(testSecret);
  const tokens: string[] = [];
  const ended: string[] = [];
  for (const lock of policy.locks.values()) {
    for (const one of lock.links) {
      tokens.push(await entryToken(lock, one, policy, keys));
      for (const [serial, end] of [
        ['aaaa', 60],
        ['bbbb', 90_000],
        ['cccc', -1],
        ['dddd', 0],
      ] as const) {
        const token = await ownEntryToken(lock, one, { serial, until: now + end }, policy, keys);
        (end > 0 ? tokens : ended).push(token);
      }
    }
  }
  const marks = [
    await patrolMark(audienceOf(policy.site), now + 60, keys),
    await patrolMark(audienceOf(policy.site), now, keys),
    await patrolMark('other', now + 60, keys),
  ];
  const valid = new Set(tokens);
  const random = seededRandom(limits.seed);
  const found: string[] = [];
  let tried = 0;
  for (; !isOver(limits, tried); tried++) {
    if (tried % 8 === 0) {
      const mark = spoiled(marks, random);
      const isRight = mark === marks[0];
      if ((await isPatrolMark(mark, audienceOf(policy.site), now, keys)) !== isRight) found.push(`patrol ${mark}`);
      continue;
    }
    const token = tried % 50 === 1 ? (ended[tried % ended.length] ?? '') : spoiled([...tokens, ...ended], random);
    const target = `/_dorlin/enter?link=${encodeURIComponent(token)}`;
    const verdict = await guard.answer({
      method: 'GET',
      target,
      headers: { host: 'site.example', accept: 'text/html' },
      encrypted: true,
    });
    const isIn = verdict.kind !== 'answer' || verdict.status === 303;
    if (isIn !== valid.has(token)) found.push(`link ${token}`);
  }
  const about = `${tokens.length} that count, ${ended.length} that have ended, and marks of patrols`;
  return { name: 'spoiled entry links', tried, found: [...new Set(found)], about };
}
