import assert from 'node:assert/strict';
import { cp, readFile, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { Ajv, type AnySchema } from 'ajv';
import { resultSchema } from '../../scripts/result-schema.js';
import type { CommandResults } from '../../src/owner/results.js';
import { dorlin, dorlinHere, endAll, repository, running } from '../support/command-line.js';
import { lacksProgram } from '../support/programs.js';
import { startRedis, type RunningRedis } from '../support/redis.js';
import { temporaryFolder } from '../support/sites.js';

const demo = join(repository, 'dist/demo');
let folder: string;
let remove: () => Promise<void>;
let redis: RunningRedis | undefined;
const isOf = new Ajv({ strict: false, allErrors: true });

before(async () => {
  ({ folder, remove } = await temporaryFolder());
  if (lacksProgram('redis-server') === false) redis = await startRedis(folder);
  isOf.addSchema(resultSchema() as AnySchema, 'results');
  const policy = await readFile(join(demo, 'dorlin.yaml'), 'utf8');
  await writeFile(join(folder, 'dorlin.yaml'), policy.replace(/^ {2}folder:.*$/m, '  folder: site'));
  await cp(join(demo, 'site'), join(folder, 'site'), { recursive: true });
  await writeFile(join(folder, 'users'), 'bran:$apr1$abcdefgh$6LrfU5Del4GDbq.LEfGiS.\n');
  await writeFile(join(folder, 'pages.txt'), '/members/\n/about\n');
});
after(async () => {
  endAll();
  await redis?.close();
  await remove();
});

type Row = readonly [type: keyof CommandResults, words: string, exitCode?: number];

// Every command on the demo, in an order in which each has what it needs: what it prints is of its type,
// and it ends with this code: 0 done, 1 found something, 2 the call or a file was wrong.
const rows: readonly Row[] = [
  ['dorlin', ''],
  ['init', 'init site --policy fresh.yaml --name Fresh'],
  ['error', 'init site --policy fresh.yaml', 2],
  ['places', 'places'],
  ['places', 'places /members/ --locked'],
  ['lock', 'lock orchard /about/telescopes --remember 30d --until 90d --outsiders closed'],
  ['lock', 'lock orchard --off'],
  ['lock NAME', 'lock orchard'],
  ['error', 'lock orchard /no/such/page', 2],
  ['error', 'lock nothing', 2],
  ['error', 'lock orchard --until 2020-01-01', 2],
  ['password add', 'password add orchard --label Pickers --generate --until 2030-01-01'],
  ['error', 'password add orchard --label Pickers --generate', 2],
  ['password list', 'password list'],
  ['password change', 'password change orchard Pickers --until none --label Helpers'],
  ['password show', 'password show orchard --text'],
  ['password rotate', 'password rotate orchard --generate --overlap 14d'],
  ['password plan', 'password plan orchard --every week --count 2 --overlap 2d'],
  ['password rehash', 'password rehash orchard'],
  ['password retire', 'password retire orchard Helpers'],
  ['password import', 'password import press users'],
  ['password export', 'password export press --skip'],
  ['error', 'password show orchard', 2],
  ['link', 'link press --label Gazette --uses 3 --until 5d'],
  ['link --list', 'link press --list'],
  ['link --revoke', 'link press --revoke Gazette'],
  ['error', 'link press --revoke Gazette', 2],
  ['bypass add', 'bypass add neighbours --address 203.0.113.9 --lock orchard --until 9d'],
  ['bypass add', 'bypass add neighbours --address 203.0.113.10'],
  ['bypass list', 'bypass list'],
  ['bypass remove', 'bypass remove neighbours'],
  ['error', 'bypass add all', 2],
  ['explain', 'explain /members/log --from 203.0.113.9'],
  ['explain', 'explain https://kestrelmoor.example/events#night-walk --at 400d'],
  ['explain --matrix', 'explain --matrix'],
  ['site', 'site'],
  ['site KEY=VALUE', 'site languages=en-IE,fr --per-lock 90.per.hour'],
  ['site --keys', 'site --keys'],
  ['error', 'site langages=en', 2],
  ['screen list', 'screen list'],
  ['screen new', 'screen new late --look lantern --lock orchard heading=Late'],
  ['screen edit', 'screen edit late look=harbour scheme=dark'],
  ['screen keep', 'screen keep site/members/pictures/ringed-planet.png'],
  ['error', 'screen keep pages.txt', 2],
  ['error', 'screen keep no-such-file.png', 2],
  ['error', 'screen keep site', 2],
  ['error', 'screen keep /dev/zero', 2],
  ['screen new', 'screen new gone --look ticket'],
  ['screen remove', 'screen remove gone'],
  ['error', 'screen remove gone', 2],
  ['screen edit --keys', 'screen edit late --keys radius'],
  ['error', 'screen edit late look=harbor', 2],
  ['screen check', 'screen check late'],
  ['screen sheet', 'screen sheet sheet.html --scheme dark'],
  ['screen export', 'screen export late --state wrong'],
  ['screen tokens export', 'screen tokens export late'],
  ['screen tokens import', 'screen tokens import late tokens.json --dry-run'],
  ['release', 'release /about/telescopes'],
  ['release', 'release orchard --draft'],
  ['review', 'review'],
  ['review', 'review dorlin.yaml dorlin.draft.yaml --pages pages.txt'],
  ['check', 'check', 1],
  ['live', 'live'],
  ['back', 'back'],
  ['error', 'back --draft', 2],
  ['lock', 'lock orchard /about/telescopes --draft'],
  ['back --draft', 'back --draft'],
  ['journal', 'journal'],
  ['requests', 'requests'],
  ['console people', 'console people'],
  ['console invite', 'console invite'],
  ['console invite', 'console invite --keeper members --at https://console.example/'],
  ['error', 'console invite --person Nobody', 2],
  ['error', 'console invite --keeper nowhere', 2],
  ['console people', 'console people'],
  ['console revoke', 'console revoke INVITE'],
  ['error', 'console revoke nothing', 2],
  ['console end-sessions', 'console end-sessions'],
  ['error', 'console end-sessions Nobody', 2],
  ['error', 'console --host 127.0.0.1 --origin not-an-address', 2],
  ['lock', 'lock log /members/log --policy fresh.yaml'],
  ['password add', 'password add log --label Everybody --generate --policy fresh.yaml'],
  ['seal', 'seal site --out sealed --rounds 210000 --check --policy fresh.yaml', 1],
  ['seal --single', 'seal site/members/log.html --single --out log.html --rounds 210000 --policy fresh.yaml'],
  ['error', 'seal site/members/log.html --single --out log.html --base /a/ --policy fresh.yaml', 2],
  ['error', 'seal site --out site --policy fresh.yaml', 2],
  ['error', 'seal site --out based --base a/../b --policy fresh.yaml', 2],
  ['error', 'seal site --out elsewhere', 2],
  ['snippet', 'snippet nginx'],
  ['error', 'snippet apache', 2],
  ['error', 'palces', 2],
  ['push', 'push --redis REDIS'],
  ['push', 'push --redis REDIS --host kestrelmoor.example --host www.kestrelmoor.example'],
  ['pull', 'pull --redis REDIS'],
  ['push --remove', 'push --redis REDIS --remove'],
  ['error', 'pull --redis REDIS', 2],
  ['error', 'pull --redis REDIS --site nobody --policy elsewhere.yaml', 2],
  ['error', 'push', 2],
  ['error', 'push --redis http://localhost', 2],
  ['error', 'push --redis redis://127.0.0.1:1', 2],
  ['error', 'serve --redis REDIS --every-site --folder site', 2],
  ['error', 'serve --redis REDIS --folder site', 2],
  ['error', 'serve --patience long', 2],
  ['secret rotate', 'secret rotate'],
  ['secret retire', 'secret retire'],
];

// How a command starts and ends is seen once of each, and what says where it waits for an order to end.
const asProcess = (row: Row) =>
  /^(?:|console --host.*|serve .*)$/.test(row[1]) ||
  row === rows.find(([, words]) => words.split(' ')[0] === row[1].split(' ')[0]);

describe('what every command prints for machines, and how it ends', () => {
  for (const row of rows) {
    const [type, words, exitCode = 0] = row;
    const call = asProcess(row) ? dorlin : dorlinHere;
    test(`dorlin ${words}: ${type}`, { skip: words.includes('REDIS') && lacksProgram('redis-server') }, async () => {
      let invited = '';
      const said = words.replaceAll('.per.', ' per ').split(/ (?!per |hour)/);
      if (words.includes('INVITE')) {
        const { stdout } = await dorlinHere(folder, ['console', 'invite', '--json']);
        invited = (JSON.parse(stdout) as { id: string }).id;
      }
      if (type === 'screen tokens import') {
        const { stdout } = await dorlinHere(folder, ['screen', 'tokens', 'export', 'late']);
        await writeFile(join(folder, 'tokens.json'), stdout);
      }
      const called =
        words === ''
          ? ['--json']
          : [...said.map((word) => word.replace('REDIS', redis?.url ?? '').replace('INVITE', invited)), '--json'];
      const { stdout, stderr, exitCode: ended } = await call(folder, called);
      assert.equal(ended, exitCode, stderr + stdout);
      refuseOther(type, stdout);
    });
  }
  test('dorlin patrol: patrol', async () => {
    const site = await running(folder, ['serve', '--port', '0']);
    const { stdout, exitCode } = await dorlin(folder, [
      'patrol',
      `${site.url}/quiz/`,
      '--policy',
      'dorlin.yaml',
      '--pages',
      '40',
      '--json',
    ]);
    await site.end();
    assert.ok(exitCode === 0 || exitCode === 1);
    refuseOther('patrol', stdout);
  });
  test('no command of the table is missing, and none is without a type', async () => {
    const { commandList } = await import('../../src/cli/command-list.js');
    const without = ['serve', 'authorize', 'demo', 'patrol'];
    const named = new Set(rows.map(([, words]) => words.split(' ')[0]));
    assert.deepEqual(
      commandList.filter(({ name }) => !named.has(name) && !without.includes(name)),
      [],
    );
    const typed = Object.keys(resultSchema().definitions['CommandResults']?.properties ?? {});
    const seen = new Set<string>([...rows.map(([type]) => type), 'patrol']);
    assert.deepEqual(
      typed.filter((type) => !seen.has(type)),
      [],
    );
    await rm(join(folder, 'fresh.yaml'));
  });
});

function refuseOther(type: keyof CommandResults, stdout: string): void {
  const name = encodeURIComponent(type).replaceAll('~', '~0');
  const validate = isOf.getSchema(`results#/definitions/CommandResults/properties/${name}`);
  assert.notEqual(validate, undefined, type);
  const isRight = validate?.(JSON.parse(stdout));
  assert.equal(isRight, true, isOf.errorsText(validate?.errors));
}
