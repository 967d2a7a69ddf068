const core = (...names: string[]) => names.map((name) => `test/core/${name}.test.ts`);
const guard = (...names: string[]) => names.map((name) => `test/guard/${name}.test.ts`);
const server = (...names: string[]) => names.map((name) => `test/server/${name}.test.ts`);
const verdicts = ['test/verdicts/verdicts.test.ts'];

/** The files that security rests on, and the tests that are to notice what happens to them, quick ones first. */
export const watched: Readonly<Record<string, readonly string[]>> = {
  'src/core/decide.ts': [
    ...verdicts,
    ...core('conditions', 'nearest-lock', 'sections-decided'),
    ...guard('outsiders'),
  ],
  'src/core/decide-section.ts': [...core('sections-decided', 'conditions'), ...server('sections')],
  'src/core/places/canonical.ts': [
    ...core('places', 'nearest-lock', 'canonical'),
    ...verdicts,
    ...core('letters'),
  ],
  'src/core/places/place.ts': [
    ...core('places', 'nearest-lock', 'policy', 'canonical'),
    ...verdicts,
  ],
  'src/core/places/cover-index.ts': [...core('places', 'nearest-lock', 'canonical'), ...verdicts],
  'src/core/places/request-target.ts': [
    ...core('request-target', 'canonical'),
    ...server('passed-on'),
  ],
  'src/core/passes/pass.ts': [
    ...core('passes', 'keys'),
    ...verdicts,
    ...guard('rights', 'entry-links', 'outsiders'),
  ],
  'src/core/passes/signed.ts': [...core('passes', 'keys'), ...guard('entry-links', 'guessing')],
  'src/core/passes/keys.ts': [...core('passes', 'keys'), ...guard('entry-links', 'basic')],
  'src/core/passes/entry-link.ts': [...core('passes', 'keys'), ...guard('entry-links')],
  'src/core/passes/known-browser.ts': [
    ...core('passes', 'keys', 'conditions'),
    ...guard('guessing'),
  ],
  'src/core/passwords/shared-salt.ts': [...core('keys', 'passwords'), ...guard('outsiders')],
  'src/core/passwords/phc.ts': [...core('conditions', 'passwords', 'policy')],
  'src/core/passwords/htpasswd.ts': [...core('htpasswd', 'passwords'), ...guard('basic')],
  'src/core/bypass/bypass.ts': [...core('conditions', 'bypass'), ...verdicts],
  'src/core/bypass/address.ts': [...core('conditions', 'visitor-address', 'bypass')],
  'src/core/bypass/token.ts': [...guard('tokens')],
  'src/core/sections/cut.ts': [...core('sections'), ...server('sections', 'held')],
  'src/core/sections/parser-state.ts': [...core('sections')],
  'src/core/sections/same-tree.ts': [...core('sections')],
  'src/core/sections/media-type.ts': [
    ...guard('words'),
    ...core('sections'),
    ...server('sections', 'held'),
  ],
  'src/guard/answers/basic.ts': [...guard('basic', 'rights'), ...server('serving')],
  'src/guard/visit/cookies.ts': [
    ...guard('rights', 'outsiders', 'entry-links', 'view', 'guessing'),
    ...guard('answers'),
  ],
  'src/guard/endpoints/enter.ts': [...guard('rights', 'entry-links', 'outsiders')],
  'src/guard/visit/form.ts': [...guard('words', 'rights', 'outsiders', 'answers')],
  'src/guard/guard.ts': [
    ...guard('rights', 'outsiders', 'basic', 'view', 'settling', 'many'),
    ...verdicts,
    ...server('sections'),
    ...guard('answers'),
  ],
  'src/guard/endpoints/guessing.ts': [...guard('guessing')],
  'src/guard/visit/identity.ts': [...guard('rights', 'outsiders', 'tokens')],
  'src/guard/visit/open-locks.ts': [...guard('rights', 'outsiders', 'view'), ...server('serving')],
  'src/guard/endpoints/request.ts': [...server('requests')],
  'src/guard/page/sections.ts': [
    ...server('sections'),
    ...core('sections-decided'),
    ...guard('settling'),
  ],
  'src/guard/visit/target.ts': [...guard('words', 'rights', 'outsiders', 'answers')],
  'src/guard/endpoints/unlock.ts': [
    ...guard('words', 'rights', 'outsiders', 'guessing', 'entry-links'),
    ...guard('answers'),
  ],
  'src/guard/caches.ts': [...guard('many'), ...server('sections', 'listings')],
  'src/guard/endpoints/endpoints.ts': [
    ...guard('rights', 'outsiders', 'view'),
    ...guard('answers'),
  ],
  'src/guard/page/forced-headers.ts': [
    ...server('held', 'passed-on', 'sections'),
    ...guard('answers'),
  ],
  'src/guard/page/held-answer.ts': [...server('held', 'sections', 'listings', 'passed-on')],
  'src/adapters/node.ts': [...server('held', 'passed-on', 'sections', 'serving')],
  'src/adapters/node-page.ts': [...server('held', 'sections', 'listings', 'passed-on', 'serving')],
};
