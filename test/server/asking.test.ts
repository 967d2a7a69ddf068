import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { attackFront } from '../attack/on-targets.js';
import { lacksProgram } from '../support/programs.js';

describe('spellings, with the path handling of a web server in between', () => {
  const fronts = { nginx: 'nginx that asks', caddy: 'Caddy that asks' };
  for (const [program, front] of Object.entries(fronts)) {
    test(`none opens a locked place: ${front}`, { skip: lacksProgram(program) }, async (t) => {
      const { tried, found, about } = await attackFront(front, { most: 1200, until: Date.now() + 60_000, seed: 11 });
      t.diagnostic(`${tried} tried: ${about}`);
      assert.deepEqual(found, []);
      assert.ok(tried > 1000 && about.includes('× 200'), about);
    });
  }
});
