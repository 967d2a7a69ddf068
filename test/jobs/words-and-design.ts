import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

/** Every word of the screen, a finished design; and a publishing that was forgotten is noticed. */
export default walk('words and design', ['index.html', 'members/a.html'], async ({ dorlin, browser }) => {
  await dorlin('init', ['init', 'dist']);
  await dorlin('lock', ['lock', 'members', '/members/', '--draft']);
  await dorlin('password add', ['password', 'add', 'members', '--generate', '--draft']);
  await dorlin('screen new', [
    'screen',
    'new',
    'hall',
    '--look',
    'harbour',
    '--lock',
    'members',
    'heading=The hall',
    'message=Knock, and say the word.',
    'label=The word',
    'placeholder=three birds',
    'text.button=Knock',
    'text.home=Back to the yard',
    '--draft',
  ]);
  assert.ok((await dorlin('places', ['places'])).draft?.endsWith('dorlin.draft.yaml'));
  const { kinds } = await dorlin('check', ['check'], 1);
  assert.deepEqual(
    kinds.map(({ code }) => code),
    ['draft-waiting'],
  );
  assert.equal((await browser().visit('/members/a')).status, 200);
  await dorlin('live', ['live']);
  const screen = await browser().visit('/members/a');
  assert.match(
    screen.text,
    /<h1>The hall<[^]*Knock, and say the word\.[^]*>The word<[^]*placeholder="three birds"[^]*>Knock<[^]*>Back to the yard</,
  );
});
