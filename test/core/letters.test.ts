import assert from 'node:assert/strict';
import { test } from 'node:test';
import { targetReader } from '../../src/core/places/canonical.js';
import { testPolicy } from '../support/policies.js';
import { decide } from '../../src/core/decide.js';

const read = targetReader({
  indexFiles: ['index.html'],
  extensions: ['.html'],
  caseSensitive: false,
});

const forms = ['NFC', 'NFD', 'NFKC', 'NFKD'] as const;

test('every letter of Unicode is one with its other cases and forms, wherever it stands', () => {
  const different: string[] = [];
  let checked = 0;
  for (let code = 0x21; code <= 0x10ffff; code++) {
    if (code >= 0xd800 && code <= 0xdfff) continue;
    const letter = String.fromCodePoint(code);
    const cases = [letter, letter.toUpperCase(), letter.toLowerCase()];
    // Nearly all: one that is of one case, and not made of others, has no other form.
    if (cases.every((one) => one === letter) && letter.normalize('NFKD') === letter) continue;
    const all = new Set(cases.flatMap((one) => [one, ...forms.map((form) => one.normalize(form))]));
    if (all.size === 1) continue;
    checked++;
    for (const [before, after] of [
      ['', ''],
      ['wo', 'rd'],
      ['wo', ''],
      ['wo', '.html'],
      ['wo', '.pdf'],
    ] as const) {
      const readings = new Set<string>();
      for (const one of all) {
        const result = read(`/${encodeURIComponent(before + one + after)}`);
        if (result.ok) readings.add(result.readings.join(' or '));
      }
      if (readings.size > 1) different.push(`U+${code.toString(16)}: ${[...readings].join(' | ')}`);
    }
  }
  assert.deepEqual(different, []);
  assert.ok(checked > 10_000, `${checked}`);
});

test('locked words stay locked in letters that JavaScript lowers by their neighbors', async () => {
  const policy = await testPolicy({ a: { covers: ['/οδος', '/λόγος*', '/film', '/straße'] } });
  for (const [path, kind] of [
    ['/οδος.html', 'shut'],
    ['/ΟΔΟΣ', 'shut'],
    ['/ΟΔΟΣ.html', 'shut'],
    ['/οδοσ', 'shut'],
    ['/λόγος.pdf', 'shut'],
    ['/ΛΌΓΟΣ-2.pdf', 'shut'],
    ['/fİlm', 'shut'],
    ['/fılm', 'shut'],
    ['/FİLM.html', 'shut'],
    ['/STRASSE', 'shut'],
    ['/STRAẞE', 'shut'],
    ['/ſtraße', 'shut'],
    ['/οδο', 'open'],
  ] as const) {
    const target = path.split('/').map(encodeURIComponent).join('/');
    assert.equal(decide(policy, { target, passes: [], now: 0 }).kind, kind, path);
  }
});
