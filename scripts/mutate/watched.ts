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
  'src/core/sections/media-type.ts': [...core('sections'), ...server('sections', 'held')],
  'src/guard/basic.ts': [...guard('basic', 'rights'), ...server('serving')],
  'src/guard/cookies.ts': [
    ...guard('rights', 'outsiders', 'entry-links', 'view', 'guessing'),
    ...guard('answers'),
  ],
  'src/guard/enter.ts': [...guard('rights', 'entry-links', 'outsiders')],
  'src/guard/form.ts': [...guard('rights', 'outsiders', 'answers')],
  'src/guard/guard.ts': [
    ...guard('rights', 'outsiders', 'basic', 'view', 'settling'),
    ...verdicts,
    ...server('sections'),
    ...guard('answers'),
  ],
  'src/guard/guessing.ts': [...guard('guessing')],
  'src/guard/identity.ts': [...guard('rights', 'outsiders', 'tokens')],
  'src/guard/open-locks.ts': [...guard('rights', 'outsiders', 'view'), ...server('serving')],
  'src/guard/request.ts': [...server('requests')],
  'src/guard/sections.ts': [
    ...server('sections'),
    ...core('sections-decided'),
    ...guard('settling'),
  ],
  'src/guard/target.ts': [...guard('rights', 'outsiders', 'answers')],
  'src/guard/unlock.ts': [
    ...guard('rights', 'outsiders', 'guessing', 'entry-links'),
    ...guard('answers'),
  ],
  'src/adapters/node.ts': [...server('held', 'passed-on', 'sections', 'serving')],
  'src/adapters/node-page.ts': [...server('held', 'sections', 'listings', 'passed-on', 'serving')],
};
