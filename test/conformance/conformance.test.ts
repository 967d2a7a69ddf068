import assert from 'node:assert/strict';
import { after, before, describe, test } from 'node:test';
import { cases } from './cases.js';
import { deviations, expectedOf } from './deviations.js';
import { makeGround, type Ground } from './front.js';
import { allFronts } from './fronts/all.js';
import { playSealed } from './fronts/sealed.js';
import { playAll } from './play.js';
import { theSecret } from './policy.js';

process.env['DORLIN_SECRET'] = theSecret;

describe('one policy, the same answers wherever Dorlin stands', () => {
  let ground: Ground;
  before(async () => {
    ground = await makeGround();
  });
  after(() => ground.remove());

  for (const front of allFronts) {
    test(front.name, { skip: front.skip ?? false, timeout: 120_000 }, async () => {
      const running = await front.start(ground);
      const answers = await playAll(running).finally(() => running.close());
      const wrong = cases.flatMap((one, at) => {
        const expected = expectedOf(front.name, one);
        return answers[at] === expected ? [] : [`${one.name}: ${answers[at] ?? ''}, not ${expected}`];
      });
      assert.deepEqual(wrong, []);
    });
  }
  test('sealed, on a host for files', async () => {
    for (const { name, expected, shown } of await playSealed(ground)) assert.deepEqual(shown, expected, name);
  });
  test('each deviation is of a front and of a case that there are, and none is what is expected anyway', () => {
    const names = new Map(cases.map((one) => [one.name, one.expect]));
    assert.equal(names.size, cases.length);
    for (const { fronts, answers } of deviations) {
      for (const front of fronts)
        assert.ok(
          allFronts.some(({ name }) => name === front),
          front,
        );
      for (const [name, answer] of Object.entries(answers)) {
        assert.ok(names.has(name), name);
        assert.notEqual(answer, names.get(name), name);
      }
    }
  });
});
