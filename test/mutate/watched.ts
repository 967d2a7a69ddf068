const core = (...names: string[]) => names.map((name) => `test/core/${name}.test.ts`);
const guard = (...names: string[]) => names.map((name) => `test/guard/${name}.test.ts`);
const server = (...names: string[]) => names.map((name) => `test/server/${name}.test.ts`);
const verdicts = ['test/verdicts/verdicts.test.ts'];

/** The files that security rests on, and the tests that are to notice what happens to them, quick ones first. */
export const watched: Readonly<Record<string, readonly string[]>> = {
  'src/core/decide.ts': [
    ...verdicts,
    ...core('bypass', 'nearest-lock', 'sections-decided'),
    ...guard('outsiders'),
  ],
  'src/core/decide-section.ts': [...core('sections-decided'), ...server('sections')],
  'src/core/places/canonical.ts': [
    ...core('nearest-lock', 'canonical'),
    ...verdicts,
    ...core('letters'),
  ],
  'src/core/places/place.ts': [...core('nearest-lock', 'policy', 'canonical'), ...verdicts],
  'src/core/places/cover-index.ts': [...core('nearest-lock', 'canonical'), ...verdicts],
  'src/core/places/request-target.ts': [
    ...core('request-target', 'canonical'),
    ...server('passed-on'),
  ],
  'src/core/passes/pass.ts': [...core('passes'), ...verdicts, ...guard('entry-links', 'outsiders')],
  'src/core/passes/signed.ts': [...core('passes'), ...guard('entry-links', 'guessing')],
  'src/core/passes/keys.ts': [...core('passes'), ...guard('entry-links', 'basic')],
  'src/core/passes/entry-link.ts': [...core('passes'), ...guard('entry-links')],
  'src/core/passes/known-browser.ts': [...core('passes'), ...guard('guessing')],
  'src/core/passwords/shared-salt.ts': [...core('passwords'), ...guard('outsiders')],
  'src/core/passwords/phc.ts': [...core('passwords', 'policy')],
  'src/core/passwords/htpasswd.ts': [...core('passwords'), ...guard('basic')],
  'src/core/bypass/bypass.ts': [...core('bypass'), ...verdicts],
  'src/core/bypass/address.ts': [...core('visitor-address', 'bypass')],
  'src/core/bypass/token.ts': [...guard('tokens')],
  'src/core/sections/cut.ts': [...core('sections'), ...server('sections')],
  'src/core/sections/parser-state.ts': [...core('sections')],
  'src/core/sections/same-tree.ts': [...core('sections')],
  'src/core/sections/media-type.ts': [...core('sections'), ...server('sections')],
  'src/guard/basic.ts': [...guard('basic'), ...server('serving')],
  'src/guard/cookies.ts': [
    ...guard('outsiders', 'entry-links', 'view', 'guessing'),
    ...guard('answers'),
  ],
  'src/guard/enter.ts': [...guard('entry-links', 'outsiders')],
  'src/guard/form.ts': [...guard('outsiders', 'answers')],
  'src/guard/guard.ts': [
    ...guard('outsiders', 'view', 'settling'),
    ...verdicts,
    ...server('sections'),
    ...guard('answers'),
  ],
  'src/guard/guessing.ts': [...guard('guessing')],
  'src/guard/identity.ts': [...guard('tokens'), ...core('bypass'), ...server('serving')],
  'src/guard/open-locks.ts': [...guard('outsiders', 'view'), ...server('serving')],
  'src/guard/request.ts': [...server('requests')],
  'src/guard/sections.ts': [
    ...server('sections'),
    ...core('sections-decided'),
    ...guard('settling'),
  ],
  'src/guard/target.ts': [...guard('outsiders', 'answers')],
  'src/guard/unlock.ts': [...guard('outsiders', 'guessing', 'entry-links'), ...guard('answers')],
  'src/adapters/node.ts': [...server('passed-on', 'sections', 'serving')],
  'src/adapters/node-page.ts': [...server('sections', 'listings', 'passed-on', 'serving')],
};
