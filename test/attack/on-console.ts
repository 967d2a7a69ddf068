import { seededRandom } from '../support/random.js';
import { testConsole } from '../support/consoles.js';
import { calls } from '../../src/console/calls.js';
import { isOver, type Attacked, type Limits } from './on-targets.js';

const canary = 'CANARY-of-the-console';
const policy = `dorlin: 1
site: { name: S, folder: dist, trustedProxies: [192.0.2.1/32] }
locks:
  members: { title: ${canary}, covers: [/members/] }
  press: { title: ${canary}-press, covers: [/press/] }
`;

/**
 * The console, asked by whoever is not signed in, by forged and mixed sessions, from everywhere; and by a keeper, of
 * locks that are another's. Nobody gets a result but by a whole session of their own, and nothing is changed.
 */
export async function attackConsole(limits: Limits): Promise<Attacked> {
  const random = seededRandom(limits.seed);
  const world = await testConsole(policy, {
    'members/index.html': '<title>M</title>',
    'press/index.html': '<title>P</title>',
  });
  const [owner, keeper] = [
    await world.person('Imke'),
    await world.person('Kit', { role: 'keeper', locks: ['members'] }),
  ];
  const pick = <T>(all: readonly T[]): T => all[random.below(all.length)] as T;
  const spoil = (text: string) => {
    const at = random.below(text.length);
    return (
      text.slice(0, at) +
      pick(['a', 'Z', '0', '_', '-', '.', '%', '"', '\\', '', '  ']) +
      text.slice(at + random.below(2))
    );
  };
  const names = [...Object.keys(calls), 'session', 'enter', 'news', '__proto__', 'constructor', '..%2fsession', ''];
  const hosts = [
    undefined,
    undefined,
    undefined,
    'evil.example',
    '127.0.0.1:4290.evil.example',
    'localhost',
    '[::1]:4290',
    '',
  ];
  const found: string[] = [];
  let tried = 0;
  try {
    const before = (await owner.session()).version;
    for (; !isOver(limits, tried); tried++) {
      const name = pick(names);
      const cookie = pick([
        undefined,
        spoil(owner.cookie),
        spoil(keeper.cookie),
        `${spoil(keeper.cookie)}; ${spoil(owner.cookie)}`,
        owner.cookie,
      ]);
      // A whole cookie comes with anything but the token that belongs to it, or from elsewhere.
      const isWhole = [owner, keeper].some((one) => cookie?.includes(one.cookie) === true);
      const origin = pick([
        undefined,
        'https://evil.example',
        'null',
        'http://127.0.0.1:4290.evil.example',
        ...(isWhole ? [] : ['http://127.0.0.1:4290']),
      ]);
      const headers = {
        cookie,
        origin,
        host: pick(hosts) ?? '127.0.0.1:4290',
        'content-type': pick([
          'application/json',
          'application/json; charset=utf-8',
          'text/plain',
          'application/x-www-form-urlencoded',
          undefined,
        ]),
        'dorlin-token': pick([undefined, owner.token, keeper.token, spoil(owner.token)]),
        'x-forwarded-proto': pick([undefined, undefined, 'https', 'http', 'https, http']),
        'x-forwarded-for': pick([undefined, undefined, '127.0.0.1', '203.0.113.7']),
        'sec-fetch-site': pick([undefined, 'cross-site', 'same-origin']),
      };
      const lock = pick(['members', 'press']);
      const body = { input: { lock, which: 'x', is: { words: 4 }, places: ['/'] }, version: before };
      const address = pick(['127.0.0.1', '192.0.2.1', '203.0.113.7', '::1']);
      const method = pick(['POST', 'POST', 'POST', 'PUT', 'DELETE']);
      const answer = await world.ask(`/api/${name}`, { method, body, headers, address });
      const text = await answer.text();
      if (
        text.includes('"result"') ||
        text.includes(canary) ||
        answer.headers.has('set-cookie') ||
        answer.status >= 500
      )
        found.push(
          `${method} ${name} ${JSON.stringify(headers)} from ${address}: ${answer.status} ${text.slice(0, 80)}`,
        );
      // And the keeper, with all that belongs to the session, of the other lock or of what is the owner's.
      const asked = await keeper.raw(pick(Object.keys(calls)), {
        ...pick([{}, { which: 'x' }, { places: ['/'] }]),
        lock: 'press',
      });
      const said = await asked.text();
      if (said.includes(`${canary}-press`)) found.push(`keeper: ${said.slice(0, 120)}`);
    }
    if ((await owner.session()).version !== before) found.push('something was changed');
  } finally {
    await world.close();
  }
  return { name: 'console', tried, found, about: 'calls without a whole session, and a keeper at another’s lock' };
}
