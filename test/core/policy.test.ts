import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { DorlinError } from '../../src/core/errors.js';
import { editPolicy } from '../../src/core/policy/edit.js';
import { readPolicy, readPolicyOrThrow } from '../../src/core/policy/read.js';
import { cheapHash } from '../support/policies.js';

const head = 'dorlin: 1\nsite:\n  name: Kestrelmoor\n';
const locks = (text: string) => `${head}locks:\n  members:\n    covers: [/members/]\n${text}`;

describe('a mistake is named with its place, its key and the mend', () => {
  const cases: [string, string, RegExp][] = [
    [
      'unknown key',
      locks('    exept: [/a]\n'),
      /^p:7:5 {2}locks\.members\.exept: there is no key `exept` here; did you mean `except`\?/,
    ],
    ['unknown key of the site', `${head}  timezone: UTC\n`, /^p:4:3 {2}site\.timezone: .*did you mean `timeZone`/],
    ['unknown top key', `${head}lokcs: {}\n`, /^p:4:1 {2}lokcs: .*did you mean `locks`/],
    [
      'key far from any',
      locks('    zzzzzz: 1\n'),
      /known here: covers, except, title, passwords, links, remember, bypass, .*enabled/,
    ],
    ['not YAML', `${head}locks: [\n`, /^p:5:1 /],
    ['key twice', `${head}locks: {}\nlocks: {}\n`, /^p:5:1 {2}the key `locks` is written twice/],
    ['number and text of it', `${head}locks: { a: { covers: ['/'], 1: x, '1': y } }\n`, /`1` is written twice/],
    ['two documents', `${head}---\na: 1\n`, /multiple documents/],
    ['empty', '', /the policy is empty/],
    ['version', 'dorlin: 2\nsite: { name: x }\n', /^p:1:1 {2}dorlin: the first line of a policy is `dorlin: 1`/],
    ['no name', 'dorlin: 1\nsite: {}\n', /^p:2:1 {2}site\.name: this key is missing/],
    ['wrong type', locks('    enabled: maybe\n'), /^p:7:5 {2}locks\.members\.enabled: expected boolean/],
    ['time zone', `${head}  timeZone: Mars\n`, /IANA time zone/],
    ['proxy', `${head}  trustedProxies: [everybody]\n`, /^p:4:20 {2}site\.trustedProxies\[0\]: write an address/],
    ['span', locks('    remember: 30\n'), /^p:7:5 {2}locks\.members\.remember: write `visit`, a span/],
    ['span without unit', locks('    remember: { choice: "30" }\n'), /remember/],
    ['lock name', `${head}locks:\n  Press Room: { covers: [/] }\n`, /^p:5:3 .*a name is small letters/],
    [
      'place without slash',
      locks('    except: [about]\n'),
      /^p:7:14 {2}locks\.members\.except\[0\]: `about`: a place begins with a slash: write `\/about`/,
    ],
    ['place with query', locks('    except: ["/a?b"]\n'), /a place has no query/],
    ['section', locks('    except: ["/a#b"]\n'), /section/],
    ['ambiguous place', locks('    except: ["/a;b"]\n'), /several ways, `\/a;b` and `\/a`: write the one you mean/],
    ['dots', locks('    except: ["/a/../b"]\n'), /cannot be read for certain/],
    ['pattern with ending', locks('    except: ["/a/*.html"]\n'), /pages are compared without their ending/],
    ['pattern of everything', locks('    except: ["/**"]\n'), /the whole site: write `\/`/],
    ['two stars in a part', locks('    except: ["/a**b"]\n'), /stands for whole parts/],
    ['everything excepted', locks('    except: [/]\n'), /the start page alone is `\/index\.html`/],
    [
      'covered and excepted',
      locks('    except: [/MEMBERS/index.html/]\n')
        .replace('covers: [/members/]', 'covers: [/members/, /a/]')
        .replace('/MEMBERS/index.html/', '/A/'),
      /`\/A\/` is among the covers too, as `\/a\/`/,
    ],
    [
      'no hash',
      locks('    passwords: [{ id: aa, label: x, hash: secret }]\n'),
      /^p:7:37 {2}locks\.members\.passwords\[0\]\.hash: this is no hash that can be checked/,
    ],
    [
      'absurd cost',
      locks(
        '    passwords: [{ id: aa, label: x, hash: "$argon2id$v=19$m=9999999,t=2,p=1$AAAAAAAAAAAAAAAAAAAAAA$AAAAAAAAAAAAAAAAAAAAAAAAAAA" }]\n',
      ),
      /no hash that can be checked/,
    ],
  ];
  for (const [name, text, expected] of cases) {
    test(name, () => {
      assert.throws(
        () => readPolicyOrThrow(text, 'p'),
        (error) => error instanceof DorlinError && error.code === 'policy-invalid' && expected.test(error.message),
      );
      if (name === 'section') return;
      const reading = readPolicy(text);
      assert.equal(reading.ok, false);
    });
  }
});

describe('passwords that cannot stand together are refused', async () => {
  const one = await cheapHash('one');
  const other = one.replace(/\$[^$]+\$[^$]+$/, '$AAAAAAAAAAAAAAAAAAAAAA$AAAAAAAAAAAAAAAAAAAAAAAAAAA');
  const entry = (id: string, label: string, hash: string) => `{ id: ${id}, label: ${label}, hash: "${hash}" }`;
  const cases: [string, string[], RegExp][] = [
    ['the same password twice', [entry('aa', 'a', one), entry('bb', 'b', one)], /the same: give each its own/],
    ['the same id twice', [entry('aa', 'a', one), entry('aa', 'b', await cheapHash('two'))], /id `aa` is used twice/],
    [
      'the same label twice',
      [entry('aa', 'a', one), entry('bb', 'a', await cheapHash('two'))],
      /label `a` is used twice/,
    ],
    ['another salt', [entry('aa', 'a', one), entry('bb', 'b', other)], /another salt or cost/],
  ];
  for (const [name, entries, expected] of cases) {
    test(name, () => {
      assert.throws(() => readPolicyOrThrow(locks(`    passwords: [${entries.join(', ')}]\n`), 'p'), expected);
    });
  }
});

const commented = `# The policy of the moor.
dorlin: 1
site:
  name: Kestrelmoor # its real name
locks:
  # For members.
  members:
    covers: [/members/] # all of it
    except:
      # how to become one
      - /members/join
    remember: 30 days
  # The last one.
  press:
    covers: [/press/, /news/draft]
`;

describe('an edit keeps comments, order and everything it is not about', () => {
  const edit = (change: Parameters<typeof editPolicy>[2]) => editPolicy(commented, 'p', change).text;
  test('no change is no change', () => {
    assert.equal(
      edit(() => undefined),
      commented,
    );
  });
  test('a place is added', () => {
    const text = edit((editor) => {
      editor.addPlace('press', 'covers', '/embargo/');
    });
    assert.equal(text, commented.replace('/news/draft]', '/news/draft, /embargo/]'));
  });
  test('a place is taken away', () => {
    const text = edit((editor) => {
      editor.removePlace('press', 'covers', '/press/');
    });
    assert.equal(text, commented.replace('[/press/, /news/draft]', '[/news/draft]'));
  });
  test('the first exception goes beside the covers', () => {
    const text = edit((editor) => {
      editor.addPlace('press', 'except', '/press/open');
    });
    assert.equal(text, `${commented}    except: [/press/open]\n`);
  });
  test('a lock is added and ended', () => {
    const text = edit((editor) => {
      editor.addLock('school');
      editor.addPlace('school', 'covers', '/school/');
      editor.removeLock('press');
    });
    assert.ok(text.endsWith('  school:\n    covers: [/school/]\n'), text);
    assert.ok(text.startsWith(commented.slice(0, commented.indexOf('  # The last one.'))));
  });
  test('a password comes and goes', async () => {
    const hash = await cheapHash('one');
    const added = edit((editor) => {
      editor.addPassword('press', { id: 'aa', label: 'A', hash });
    });
    assert.ok(
      added.endsWith(`    passwords:\n      - { id: aa, label: A, hash: ${JSON.stringify(hash)} }\n`) ||
        added.includes(`{ id: aa, label: A, hash: ${hash} }`),
      added,
    );
    const gone = editPolicy(added, 'p', (editor) => {
      editor.removePassword('press', 'aa');
    });
    assert.equal(gone.after.locks.get('press')?.passwords.length, 0);
    assert.ok(gone.text.startsWith(commented));
  });
  test('an edit that would break the policy is not made', () => {
    assert.throws(
      () =>
        edit((editor) => {
          editor.addPlace('press', 'except', '/news/draft');
        }),
      (error) =>
        error instanceof DorlinError &&
        /cannot have that at `locks.press.except.0`: .*among the covers/.test(error.message),
    );
  });
});
