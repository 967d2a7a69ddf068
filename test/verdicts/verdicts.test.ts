import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { chapters } from './chapters.js';
import { play, policyOf, rowsOf } from './play.js';

for (const chapter of chapters) {
  describe(chapter.title, () => {
    const policy = policyOf(chapter);
    for (const row of rowsOf(chapter)) {
      test(`${row.who} asks for ${row.asksFor}: ${row.gets}`, () => {
        const { gets, reasons } = play(policy, row);
        assert.equal(gets, row.gets);
        assert.ok(reasons.includes(row.because), `${row.because}\nnot among\n${reasons.join('\n')}`);
      });
    }
  });
}

test('no visitor is let in for more reasons than the policy gives', () => {
  // Whoever is shut out somewhere stays shut out there as a stranger: nothing is lost by a pass.
  for (const chapter of chapters) {
    const policy = policyOf(chapter);
    for (const row of rowsOf(chapter)) {
      const [, moment] = / at (\S+)$/.exec(row.who) ?? [];
      const stranger = `a stranger${moment === undefined ? '' : ` at ${moment}`}`;
      const { gets } = play(policy, { ...row, who: stranger });
      assert.ok(!gets.startsWith('let in'), `${stranger} at ${row.asksFor}`);
      if (gets === 'open') assert.equal(row.gets, 'open');
    }
  }
});
