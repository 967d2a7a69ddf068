import assert from 'node:assert/strict';
import { createHash, randomBytes } from 'node:crypto';
import { appendFile, cp, mkdir, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { join, relative } from 'node:path';
import { test } from 'node:test';
import { brotliCompressSync, gunzipSync, gzipSync } from 'node:zlib';
import { zipSync } from 'fflate';
import { generalDecrypt } from 'jose';
import { checkSealed } from '../../src/owner/sealed-check.js';
import { doorOf, type Doors } from '../../src/core/sealing/doors.js';
import type { Keyring } from '../../src/core/sealing/keyring.js';
import type { SealedSite } from '../../src/core/sealing/site.js';
import { namingKeys } from '../../src/core/sealing/areas.js';
import { named } from '../../src/sealer/seal-file.js';
import { makeThreads } from '../../src/sealer/threads.js';
import { temporaryFolder } from '../support/sites.js';
import { openedFrom, siteToSeal, testRounds } from '../support/sealed.js';
import type { TestLock } from '../support/policies.js';

const ece = createRequire(import.meta.url)('http_ece') as { decrypt: (bytes: Buffer, how: object) => Buffer };

const sentence = 'the heather burned blue above the northern wall that whole canary night while nobody was looking';
const page = (title: string, body = '') =>
  `<!doctype html><html lang=en><title>${title}</title><main><h1>${title}</h1>${body}</main>`;
const locks: Record<string, TestLock> = {
  members: { covers: ['/members/'], except: ['/members/join'], passwords: { aa: 'comet lantern', bb: 'two' } },
  walk: { covers: ['/events#walk'], passwords: { cc: 'gate' } },
  either: { covers: ['/both'], passwords: { dd: 'left' } },
  other: { covers: ['/both'], passwords: { ee: 'right' } },
  needs: { covers: ['/needs/'], passwords: { ff: 'more' }, requires: ['members'] },
  staff: { covers: ['/staff/'], outsiders: 'not-found' },
  pdfs: { covers: ['/**/*.pdf'], passwords: { gg: 'papers' } },
};
const files = {
  'index.html': page('Start', `<p>${'The observatory is open on clear nights. '.repeat(4)}</p>`),
  'events.html': page('Events', `<p>Before</p><section id="walk"><p>${sentence}</p></section><p>Behind</p>`),
  'members/index.html': page('Members CANARY-TITLE', `<p>${sentence} CANARY-TEXT</p>`),
  'members/join.html': page('Join'),
  'members/canary-name.png': Buffer.from(
    'not much of a picture, but bytes enough to be told from others: CANARY-PICTURE'.repeat(3),
  ),
  'both.html': page('Both', 'CANARY-BOTH'),
  'needs/index.html': page('Needs', 'CANARY-NEEDS'),
  'staff/rota.html': page('Rota', 'CANARY-ROTA'),
  'a/b/paper.pdf': Buffer.from('%PDF CANARY-PDF'),
  'sitemap.xml':
    '<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><url><loc>https://k.example/</loc></url><url><loc>https://k.example/members/canary-page</loc></url></urlset>',
  'packed.xml.gz': gzipSync(
    '<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><url><loc>https://k.example/members/canary-page</loc></url></urlset>',
  ),
  'feed.xml':
    '<rss version="2.0"><channel><link>https://k.example/</link><item><link>https://k.example/members/</link><title>CANARY-FEED</title></item></channel></rss>',
};
const about = { origin: 'https://k.example', sitemaps: ['/sitemap.xml'], feeds: ['/feed.xml'] };

test('in a folder of a host, addresses are what they are there; of an unknown folder, all that they could be', async () => {
  const at = (path: string, title: string) =>
    `<item><link>https://k.example/moor${path}</link><title>${title}</title></item>`;
  const inFolder = {
    'index.html': page('Start', '<a download href="/moor/members/wheel.pdf">Wheel</a>'),
    'open.html': page('Open'),
    'members/index.html': page('Members'),
    'members/wheel.pdf': '%PDF',
    'feed.xml': `<rss version="2.0"><channel><link>https://k.example/moor/</link>${at('/open', 'Open')}${at('/members/', 'CANARY-ONE')}${at('/%6dembers/wheel.pdf', 'CANARY-TWO')}<item><link>https://k.example/members/</link><title>CANARY-THREE</title></item></channel></rss>`,
  };
  const guest = { id: 'k1', label: 'Guest', until: '2099-01-01' };
  const site = await siteToSeal(
    { members: { covers: ['/members/'], passwords: { aa: 'comet lantern' }, links: [guest] } },
    inFolder,
    { origin: 'https://k.example', feeds: ['/feed.xml'] },
  );
  for (const base of ['/moor/', '/moor', undefined, '/elsewhere/']) {
    const { links } = await site.seal({ base });
    const folder = base === undefined ? '/' : `${base.replace(/\/$/, '')}/`;
    assert.ok(links[0]?.address.startsWith(`https://k.example${folder}members/#dorlin=`), links[0]?.address);
    const feed = await readFile(join(site.out, 'feed.xml'), 'utf8');
    assert.doesNotMatch(feed, /CANARY/, String(base));
    assert.match(feed, /moor\/open/, String(base));
    assert.match(await readFile(join(site.out, 'index.html'), 'utf8'), /wheel\.pdf\?dorlin-download/, String(base));
    const missing = await readFile(join(site.out, '404.html'), 'utf8');
    assert.ok(missing.includes(`<script src="${folder}_dorlin/unseal.js"`), missing);
    assert.ok(missing.includes(`href="${folder}"`), missing);
    assert.deepEqual((await checkSealed(site.policyFile, { out: site.out, base })).findings, []);
  }
  for (const base of ['moor', '//moor/', '/a/../b/', '/a b/', 'https://k.example/moor/', '/"><script>/'])
    await assert.rejects(site.seal({ base }), { code: 'call-wrong' }, base);
  await site.remove();
});

async function filesIn(folder: string): Promise<Map<string, Buffer>> {
  const all = await readdir(folder, { recursive: true, withFileTypes: true });
  const found = all.filter((one) => one.isFile()).map((one) => join(one.parentPath, one.name));
  return new Map(
    await Promise.all(found.map(async (file) => [`/${relative(folder, file)}`, await readFile(file)] as const)),
  );
}
const digestOf = (of: ReadonlyMap<string, Buffer>) =>
  [...of].map(([path, bytes]) => `${path} ${createHash('sha256').update(bytes).digest('hex')}`).sort();

test('nothing that is locked stands in the folder in the clear, neither its words nor its names', async (t) => {
  const site = await siteToSeal(locks, files, about);
  t.after(site.remove);
  const result = await site.seal();
  const out = await filesIn(site.out);
  for (const [path, bytes] of out) {
    assert.doesNotMatch(path, /canary/i);
    assert.doesNotMatch(bytes.toString('latin1'), /canary/i, path);
    if (path.endsWith('.gz')) assert.doesNotMatch(gunzipSync(bytes).toString(), /canary/i);
  }
  assert.match(out.get('/sitemap.xml')?.toString() ?? '', /k\.example\/</);
  assert.match(out.get('/members/join.html')?.toString() ?? '', /<h1>Join/);
  assert.equal(out.has('/staff/rota.html'), false);
  assert.equal(out.has('/a/b/paper.pdf'), false);
  assert.deepEqual(result.kept, ['/staff/rota.html']);
  assert.deepEqual((await checkSealed(site.policyFile, { out: site.out })).findings, []);
});

test('of a hidden lock nothing is published but its name; where visitors of a lock land is sealed', async (t) => {
  const site = await siteToSeal(
    {
      hidden: {
        covers: ['/plan/'],
        passwords: { ff: 'unseen' },
        outsiders: 'not-found',
        title: 'CANARY title',
        after: '/plan/canary-landing',
        wrong: { after: 2, redirect: '/canary-wrong' },
      },
      members: { covers: ['/members/'], passwords: { aa: 'comet lantern' }, after: '/members/canary-landing' },
    },
    { 'index.html': '<h1>Start</h1>', 'plan/index.html': '<h1>Plan</h1>', 'members/index.html': '<h1>Members</h1>' },
  );
  t.after(site.remove);
  await site.seal();
  for (const [path, bytes] of await filesIn(site.out)) assert.doesNotMatch(bytes.toString('latin1'), /canary/i, path);
});

test('each password opens what its lock covers and nothing else; a lock that needs another, with both alone', async (t) => {
  const site = await siteToSeal(locks, files, about);
  t.after(site.remove);
  await site.seal();
  const paths = async (...passwords: string[]) => [...(await openedFrom(site.out, passwords)).keys()].sort();
  const members = ['/members/canary-name.png', '/members/index.html'];
  assert.deepEqual(await paths('comet lantern'), members);
  assert.deepEqual(await paths('two'), members);
  assert.deepEqual(await paths('left'), ['/both.html']);
  assert.deepEqual(await paths('right'), ['/both.html']);
  assert.deepEqual(await paths('more'), []);
  assert.deepEqual(await paths('more', 'two'), [...members, '/needs/index.html']);
  assert.deepEqual(await paths('papers'), ['/a/b/paper.pdf']);
  assert.deepEqual(await paths('nothing', ''), []);
  const texts = await openedFrom(site.out, ['gate', 'two']);
  assert.equal(texts.get('/events.html#'), `<section id="walk"><p>${sentence}</p></section>`);
  assert.equal(texts.get('/members/index.html'), files['members/index.html']);
});

test('every keyring is opened by another library, and every sealed file by another reader', async (t) => {
  const site = await siteToSeal({ members: locks['members'] as TestLock }, files, about);
  t.after(site.remove);
  await site.seal();
  const ring = JSON.parse(await readFile(join(site.out, '_dorlin/locks/members.json'), 'utf8')) as Keyring;
  const { plaintext } = await generalDecrypt({ ...ring, recipients: [...ring.recipients] }, Buffer.from('two'), {
    keyManagementAlgorithms: ['PBES2-HS512+A256KW'],
    maxPBES2Count: testRounds,
  });
  const { areas } = JSON.parse(await readFile(join(site.out, '_dorlin/sealed.json'), 'utf8')) as SealedSite;
  const [name = ''] = Object.keys(areas);
  const area = areas[name];
  const lock = await crypto.subtle.importKey('raw', new Uint8Array(plaintext), 'HKDF', false, ['deriveKey']);
  const by = await crypto.subtle.deriveKey(
    { name: 'HKDF', hash: 'SHA-256', salt: Buffer.from(name), info: Buffer.from('dorlin sealed door') },
    lock,
    { name: 'AES-KW', length: 256 },
    false,
    ['unwrapKey'],
  );
  const wrapped = Buffer.from(area?.doors[0]?.key ?? '', 'base64url');
  const key = await crypto.subtle.unwrapKey('raw', wrapped, by, 'AES-KW', { name: 'HMAC', hash: 'SHA-256' }, true, [
    'sign',
  ]);
  const raw = Buffer.from(await crypto.subtle.exportKey('raw', key));
  const sealed = await readdir(join(site.out, '_dorlin/sealed'));
  assert.equal(sealed.length, 3);
  const texts = await Promise.all(
    sealed.map(async (blob) => {
      const bytes = ece.decrypt(await readFile(join(site.out, '_dorlin/sealed', blob)), {
        version: 'aes128gcm',
        key: raw,
      });
      return bytes[0] === 0x1f ? gunzipSync(bytes).toString() : bytes.toString();
    }),
  );
  assert.ok(texts.some((text) => text.includes('CANARY-TEXT')));
  assert.ok(texts.some((text) => text.includes('CANARY-PICTURE')));
});

test('sealing the same again gives the same bytes, here and elsewhere; one page changed, one file anew', async (t) => {
  const site = await siteToSeal(locks, files, about);
  t.after(site.remove);
  await site.seal();
  const first = digestOf(await filesIn(site.out));
  const again = await site.seal();
  assert.equal(again.anew, 0);
  assert.deepEqual(digestOf(await filesIn(site.out)), first);
  const elsewhere = join(site.folder, 'elsewhere');
  await site.seal({ out: elsewhere });
  assert.deepEqual(digestOf(await filesIn(elsewhere)), first);
  await appendFile(join(site.site, 'members/index.html'), '<p>new</p>');
  const changed = await site.seal();
  // The page, and the index of its area.
  assert.equal(changed.anew, 1);
  assert.match((await openedFrom(site.out, ['two'])).get('/members/index.html') ?? '', /<p>new<\/p>/);
  // What is gone from the site is gone from the folder.
  await rm(join(site.site, 'members/canary-name.png'));
  assert.ok((await site.seal()).removed > 0);
  assert.equal((await openedFrom(site.out, ['two'])).has('/members/canary-name.png'), false);
});

test('a password that is taken out opens the old keyring still, until its lock is given a new key', async (t) => {
  const site = await siteToSeal(locks, files, about);
  t.after(site.remove);
  await site.seal();
  const old = await readFile(join(site.out, '_dorlin/locks/members.json'));
  const blobs = await readdir(join(site.out, '_dorlin/sealed'));
  await site.write(
    { ...locks, members: { ...locks['members'], passwords: { aa: 'comet lantern' } } as TestLock },
    about,
  );
  const rewrapped = await site.seal();
  assert.equal(rewrapped.anew, 0, 'only the keyring is another');
  assert.deepEqual(rewrapped.keepOldKey, [{ lock: 'members', id: 'bb' }]);
  assert.deepEqual([...(await openedFrom(site.out, ['two'])).keys()], []);
  assert.deepEqual(await readdir(join(site.out, '_dorlin/sealed')), blobs);
  const rekeyed = await site.seal({ rekey: ['members'] });
  assert.deepEqual(rekeyed.keepOldKey, []);
  assert.ok((await openedFrom(site.out, ['comet lantern'])).has('/members/index.html'));
  // Who kept the old keyring has a key that opens nothing that is there now.
  await writeFile(join(site.out, '_dorlin/locks/members.json'), old);
  await assert.rejects(openedFrom(site.out, ['two']));
});

test('weak passwords are refused with how long they would stand, unless somebody insists', async (t) => {
  const site = await siteToSeal(locks, files, about);
  t.after(site.remove);
  await assert.rejects(site.seal({ acceptWeak: false, rounds: 600_000 }), {
    code: 'seal-weak',
    message: /two of members|bb of members would stand not a second/,
  });
  await assert.rejects(readdir(site.out), 'nothing was written');
});

test('a folder that holds something else is not written over, nor the site itself', async (t) => {
  const site = await siteToSeal(locks, files, about);
  t.after(site.remove);
  const other = join(site.folder, 'other');
  await mkdir(other);
  await writeFile(join(other, 'thesis.txt'), 'mine');
  for (const out of [other, site.site, join(site.site, 'sealed'), site.folder]) {
    await assert.rejects(site.seal({ out }), { code: 'seal-folder' }, out);
  }
  assert.equal(await readFile(join(other, 'thesis.txt'), 'utf8'), 'mine');
});

test('a search index that holds words of a locked page is found, and so is a copy of a file', async (t) => {
  const site = await siteToSeal(
    locks,
    {
      ...files,
      'search.json': JSON.stringify({ docs: [{ text: `All that is known: ${sentence} and so on` }] }),
      'copy.png': files['members/canary-name.png'],
    },
    about,
  );
  t.after(site.remove);
  await site.seal();
  const { findings } = await checkSealed(site.policyFile, { out: site.out });
  const codes = findings.map(({ code }) => code);
  assert.ok(codes.includes('words-in-search-index') || codes.includes('words-in-data-file'), codes.join());
  assert.ok(codes.includes('file-copy-open'), codes.join());
});

test('what cannot be cut out for certain is sealed as a whole, and what cannot be read is refused', async (t) => {
  const site = await siteToSeal(
    {
      walk: locks['walk'] as TestLock,
      inner: { covers: ['/nested#inner'], passwords: { hh: 'in' } },
      outer: { covers: ['/nested#outer'], passwords: { ii: 'out' } },
    },
    {
      'events.html':
        '<!doctype html><table><section id="walk">CANARY</section><tr><td>x</table><select><option id="walk">CANARY</select>',
      'nested.html': page('Nested', '<section id="outer">CANARY-OUTER<p id="inner">CANARY-INNER</p></section>'),
      'index.html': page('Start'),
    },
  );
  t.after(site.remove);
  const { notes } = await site.seal();
  assert.equal(notes.length, 2);
  for (const [path, bytes] of await filesIn(site.out)) assert.doesNotMatch(bytes.toString('latin1'), /CANARY/, path);
  assert.deepEqual([...(await openedFrom(site.out, ['out'])).keys()], []);
  assert.ok((await openedFrom(site.out, ['out', 'in'])).has('/nested.html'));
  await writeFile(join(site.site, 'sitemap.xml'), '<urlset><url><loc>broken');
  await assert.rejects(site.seal(), { code: 'seal-unfit' });
  await rm(join(site.site, 'sitemap.xml'));
  await cp(join(site.site, 'index.html'), join(site.site, 'dorlin-worker.js'));
  await assert.rejects(site.seal(), { code: 'seal-unfit' });
});

test('windows: what counts at the moment of sealing, and what will have to be sealed again is said', async (t) => {
  const site = await siteToSeal(
    {
      soon: { covers: ['/a'], passwords: { aa: 'one' }, from: '2030-01-01' },
      now: { covers: ['/b'], passwords: { bb: 'two' }, until: '2030-01-01' },
    },
    { 'a.html': page('A', 'for all until then'), 'b.html': page('B', 'CANARY'), 'index.html': page('Start') },
  );
  t.after(site.remove);
  const { cannot } = await site.seal();
  assert.match(cannot.find(({ lock }) => lock === 'soon')?.text ?? '', /does not count yet/);
  assert.match(cannot.find(({ lock }) => lock === 'now')?.text ?? '', /stay sealed until you seal again/);
  assert.match((await readFile(join(site.out, 'a.html'))).toString(), /for all until then/);
  const later = Date.UTC(2031, 0, 1) / 1000;
  await site.seal({ now: later });
  assert.match((await readFile(join(site.out, 'b.html'))).toString(), /CANARY/);
  assert.doesNotMatch((await readFile(join(site.out, 'a.html'))).toString(), /for all/);
});

test('a guest of a page is not told what stands in it under another lock, nor in a section within a section', async (t) => {
  const site = await siteToSeal(
    {
      members: { covers: ['/members/'], passwords: { aa: 'one' } },
      walk: { covers: ['/members/b#walk', '/c#inner'], passwords: { bb: 'two' } },
      outer: { covers: ['/c#outer'], passwords: { cc: 'three' } },
      nobody: { covers: ['/none'] },
    },
    {
      'index.html': page('Start'),
      'members/a.html': page(
        'A',
        'all <p data-dorlin-lock="nobody">CANARY-NOBODY</p><p data-dorlin-lock="slip">CANARY-SLIP</p>',
      ),
      'members/b.html': page('B', 'all <p id="walk">CANARY-WALK</p>'),
      'members/own.html': page('Own', '<p data-dorlin-lock="members">CANARY-OWN</p>'),
      'c.html': page('C', '<div id="outer">CANARY-OUTER<p id="inn&#101;r">CANARY-INNER</p></div>'),
    },
  );
  t.after(site.remove);
  await site.seal();
  const one = await openedFrom(site.out, ['one']);
  assert.match(one.get('/members/a.html') ?? '', /all/);
  assert.match(one.get('/members/own.html') ?? '', /CANARY-OWN/);
  const both = await openedFrom(site.out, ['one', 'two']);
  assert.match(both.get('/members/b.html') ?? '', /CANARY-WALK/);
  const outer = await openedFrom(site.out, ['three']);
  for (const text of [...one.values(), ...outer.values()]) {
    assert.doesNotMatch(text, /CANARY-(?:NOBODY|SLIP|WALK|INNER)/);
  }
});

test('a file that is no page is asked for by the page for what is missing, which names none of them', async (t) => {
  const site = await siteToSeal(locks, { ...files, '404.html': page('Lost') }, about);
  t.after(site.remove);
  await site.seal();
  const read = (path: string) => readFile(join(site.out, path), 'utf8');
  const doors = JSON.parse(await read('_dorlin/doors.json')) as Doors;
  const lockAt = async (path: string) => (await doorOf(doors, path))?.lock;
  assert.deepEqual(
    await Promise.all(['/members/canary-name.png', '/a/b/paper.pdf', '/members/', '/both.html', '/x'].map(lockAt)),
    ['members', 'pdfs', undefined, undefined, undefined],
  );
  assert.doesNotMatch(JSON.stringify(doors), /canary|paper/i);
  assert.match(await read('404.html'), /Lost[^]*<script src="\/_dorlin\/unseal\.js" data-missing><\/script>\n$/);
  // Where nothing is to be asked for, the site's own stays as it is.
  await rm(join(site.site, 'members/canary-name.png'));
  await rm(join(site.site, 'a/b/paper.pdf'));
  await site.seal();
  assert.equal(await read('404.html'), page('Lost'));
  await assert.rejects(read('_dorlin/doors.json'));
});

test('a mark whose name goes on is none of the lock it begins with: nobody gets the page, not that lock’s guests', async (t) => {
  const body = (mark: string) => page('Odd', `<tr data-dorlin-lock=${mark}><td>CANARY</td></tr>`);
  for (const mark of ['"walk<a b=\'"', "'walk more'", '"walk&#32;"', 'walk&amp;']) {
    const site = await siteToSeal(locks, { 'index.html': page('Start'), 'odd.html': body(mark) });
    t.after(site.remove);
    await site.seal();
    assert.deepEqual([mark, [...(await openedFrom(site.out, ['gate'])).keys()]], [mark, []]);
    assert.doesNotMatch(await readFile(join(site.out, 'odd.html'), 'utf8').catch(() => ''), /CANARY/);
  }
  const site = await siteToSeal(locks, { 'index.html': page('Start'), 'odd.html': body('" walk "') });
  t.after(site.remove);
  await site.seal();
  assert.deepEqual([...(await openedFrom(site.out, ['gate'])).keys()], ['/odd.html']);
});

test('a page that changes between its being judged and written is neither copied nor sealed', async () => {
  const open = page('Aaa');
  const site = await siteToSeal(locks, { ...files, 'aaa.html': open, 'zzz.html': page('Zzz'), 'zz.png': 'a picture' });
  try {
    await site.seal();
    for (const [path, text] of [
      ['zzz.html', page('Zzz', '<p data-dorlin-lock="members">CANARY-MEANWHILE</p>')],
      ['needs/index.html', page('Needs', '<p data-dorlin-lock="walk">CANARY-MEANWHILE</p>')],
    ] as const) {
      const before = await readFile(join(site.site, path));
      await rm(site.out, { recursive: true });
      let isChanged = false;
      const progress = () => {
        if (!isChanged) writeFileSync(join(site.site, path), text);
        isChanged = true;
      };
      await assert.rejects(site.seal({ progress }), { code: 'site-changing' }, path);
      const texts = await openedFrom(site.out, ['more', 'comet lantern', 'gate']).catch(
        () => new Map<string, string>(),
      );
      for (const file of await readdir(site.out, { recursive: true, withFileTypes: true })) {
        if (!file.isFile()) continue;
        const said = await readFile(join(file.parentPath, file.name));
        assert.ok(!said.includes('MEANWHILE'), `${file.name} has it in the clear`);
      }
      assert.doesNotMatch([...texts.values()].join(), /MEANWHILE/, 'nor does anybody open it');
      await writeFile(join(site.site, path), before);
    }
  } finally {
    await site.remove();
  }
});

test('a large file has a salt of its own for each content, path and key, and the same one for the same', async () => {
  const { folder, remove } = await temporaryFolder();
  const threads = makeThreads(1, undefined);
  const bytes = Buffer.alloc(16 * 1024 * 1024 + 5_000_011, randomBytes(999_983));
  const saltOf = async (changed: Buffer, path = '/film.mp4', key = 1) => {
    const file = join(folder, 'film.mp4');
    await writeFile(file, changed);
    const keys = new Uint8Array(16).fill(key);
    const area = { key: keys, naming: await namingKeys(keys) };
    const { salt, blob } = await named(path, { file, size: changed.length }, area, threads);
    return `${Buffer.from(salt).toString('hex')} ${blob}`;
  };
  const changedAt = (at: number) => {
    const other = Buffer.from(bytes);
    other[at] = (other[at] ?? 0) ^ 1;
    return other;
  };
  const first = await saltOf(bytes);
  assert.equal(await saltOf(bytes), first, 'the same again');
  const salts = [first, await saltOf(bytes, '/other.mp4'), await saltOf(bytes, '/film.mp4', 2)];
  // At the seams of pieces and parts too.
  const seams = [0, 15, 1024 * 1024 - 1, 1024 * 1024, 16 * 1024 * 1024 - 1, 16 * 1024 * 1024, bytes.length - 1];
  for (const at of seams) salts.push(await saltOf(changedAt(at)));
  salts.push(await saltOf(bytes.subarray(0, -1)), await saltOf(Buffer.concat([bytes, Buffer.alloc(1)])));
  // Two pieces of one part that have changed places, and two parts.
  const swapped = (size: number) =>
    Buffer.concat([bytes.subarray(size, 2 * size), bytes.subarray(0, size), bytes.subarray(2 * size)]);
  salts.push(await saltOf(swapped(1024 * 1024)), await saltOf(swapped(5_000_011)));
  assert.equal(new Set(salts).size, salts.length);
  await threads.close();
  await remove();
});

test('copies that a host sends in place of a page, and data of a page with sections, are not in the clear', async () => {
  const marked = page('Talks', `<p>Before</p><div data-dorlin-lock="members"><p>${sentence}</p></div>`);
  const data = JSON.stringify({ nodes: [{ text: sentence }] });
  const site = await siteToSeal(locks, {
    ...files,
    'talks.html': marked,
    'talks.html.gz': gzipSync(marked),
    'talks.html.br': brotliCompressSync(marked),
    'talks.html.zst': 'CANARY of Zstandard',
    'talks/__data.json': data,
    'talks.data': data,
    'talks.txt': sentence,
    'events.html.gz': gzipSync(files['events.html']),
    'events/_payload.json': data,
    'members/index.html.br': brotliCompressSync(files['members/index.html']),
    'members.txt': sentence,
    'about.html': page('About', '<p>For all</p>'),
    'about.html.gz': gzipSync(page('About', '<p>For all</p>')),
    'lonely.html.zst': 'CANARY without its page',
  });
  try {
    await site.seal();
    const published = await readdir(site.out, { recursive: true });
    const clear = published.filter((name) =>
      /^(?:talks|events|members|lonely).*\.(?:gz|br|zst|json|txt|data)$/.test(name),
    );
    assert.deepEqual(clear, []);
    assert.ok(published.includes('about.html.gz'), 'what nothing was changed of is copied');
    const { findings } = await checkSealed(site.policyFile, { out: site.out });
    assert.deepEqual(findings, []);
    // Whoever has the password gets the data as well.
    const opened = await openedFrom(site.out, ['comet lantern']);
    assert.equal(opened.get('/talks/__data.json'), data);
  } finally {
    await site.remove();
  }
});

/** One text file as a tar. */
function tarOf(name: string, text: string): Buffer {
  const header = Buffer.alloc(512);
  header.write(name);
  header.write(text.length.toString(8).padStart(11, '0'), 124);
  header.write('ustar', 257);
  const body = Buffer.alloc(Math.ceil(text.length / 512) * 512);
  body.write(text);
  return Buffer.concat([header, body, Buffer.alloc(1024)]);
}

test('the check knows what is in sections, and tells of every place where it stands in the clear', async () => {
  const site = await siteToSeal(locks, {
    ...files,
    'talks.html': page('Talks', `<p>Before</p><div data-dorlin-lock="members"><p>${sentence}</p></div>`),
  });
  try {
    await site.seal();
    const copies: Record<string, string | Buffer> = {
      'notes.json': JSON.stringify({ text: sentence }),
      'notes.txt': sentence,
      'notes.md': `# Talks\n\n${sentence}`,
      'notes.html': page('Notes', `<p>${sentence}</p>`),
      'hydrated.html': page('Hydrated', `<script type="application/json">${JSON.stringify([sentence])}</script>`),
      'app.js': `const text = ${JSON.stringify(sentence)};`,
      'notes.html.gz': gzipSync(page('Notes', `<p>${sentence}</p>`)),
      'notes.html.br': brotliCompressSync(page('Notes', `<p>${sentence}</p>`)),
      'page.data': JSON.stringify([sentence]),
      'share.txt': `https://mail.example/?body=${encodeURIComponent(sentence)}`,
      'site.zip': Buffer.from(
        zipSync({ 'talks.html': [Buffer.from(page('Talks', `<p>${sentence}</p>`)), { level: 9 }] }),
      ),
      'site.tar.gz': gzipSync(tarOf('talks.md', sentence)),
      'site.tar': tarOf('talks.md', sentence),
    };
    for (const [name, content] of Object.entries(copies)) {
      await writeFile(join(site.out, name), content);
      const linked = page('Start', `<a href="/${name}">here</a>`);
      await writeFile(join(site.out, 'index.html'), linked);
      const { findings } = await checkSealed(site.policyFile, { out: site.out });
      assert.ok(findings.length > 0, name);
      await rm(join(site.out, name));
    }
  } finally {
    await site.remove();
  }
});
