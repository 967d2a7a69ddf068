import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import fc from 'fast-check';
import { editPolicy } from '../../src/core/policy/edit.js';
import type { PolicyEditor } from '../../src/core/policy/editor.js';

/** An owner's policy: four spaces, lists as far in as their keys, comments, flow, empty lines. */
const owners = `# Looked after by Imke
dorlin: 1

site:
    name: "Kestrelmoor"   # as on the sign
    languages: [ en,
                 fr ]

locks:
    # who has paid
    members:
        covers:
        # the start
        - /members/
        # the old address
        - /club/

        # films
        - /films/     # large
        except: [/members/join, '/members/prices']
        remember:   30 days

    press: { covers: [/press/], remember: visit }

    # not yet
    draft:
        # nothing yet
        covers: [ ] # soon

# the end
`;

const edited = (text: string, edit: (editor: PolicyEditor) => void) => editPolicy(text, 'dorlin.yaml', edit).text;

/** The lines that an edit took away and brought, with everything else untouched in between. */
function difference(before: string, after: string): { gone: string; new: string } {
  let start = 0;
  while (start < before.length && before[start] === after[start]) start++;
  let end = 0;
  const room = Math.min(before.length, after.length) - start;
  while (end < room && before[before.length - 1 - end] === after[after.length - 1 - end]) end++;
  return {
    gone: before.slice(start, before.length - end),
    new: after.slice(start, after.length - end),
  };
}

describe('an edit changes nothing but what it is about', () => {
  const cases: [string, (editor: PolicyEditor) => void, string, string][] = [
    [
      'a place more',
      (it) => {
        it.addPlace('members', 'covers', '/new/');
      },
      '',
      '        - /new/\n',
    ],
    [
      'a place less, the first',
      (it) => {
        it.removePlace('members', 'covers', '/members/');
      },
      '        # the start\n        - /members/\n',
      '',
    ],
    [
      'in the middle',
      (it) => {
        it.removePlace('members', 'covers', '/club/');
      },
      '        # the old address\n        - /club/\n',
      '',
    ],
    [
      'the last',
      (it) => {
        it.removePlace('members', 'covers', '/films/');
      },
      '        # films\n        - /films/     # large\n',
      '',
    ],
    [
      'in brackets',
      (it) => {
        it.removePlace('members', 'except', '/members/join');
      },
      '/members/join, ',
      '',
    ],
    [
      'in brackets, the last',
      (it) => {
        it.removePlace('members', 'except', '/members/prices');
      },
      ", '/members/prices'",
      '',
    ],
    [
      'more in brackets',
      (it) => {
        it.addPlace('press', 'covers', '/news/*');
      },
      '',
      ', /news/*',
    ],
    [
      'a lock more',
      (it) => {
        it.addLock('guests');
        it.addPlace('guests', 'covers', '/g/');
      },
      '',
      '    guests:\n        covers: [/g/]\n',
    ],
    [
      'a lock less',
      (it) => {
        it.removeLock('press');
      },
      '    press: { covers: [/press/], remember: visit }\n',
      '',
    ],
    [
      'the first lock, with its comment',
      (it) => {
        it.removeLock('members');
      },
      owners.slice(owners.indexOf('    # who'), owners.indexOf('\n    press')),
      '',
    ],
    [
      'a key more',
      (it) => {
        it.set(['locks', 'members', 'outsiders'], 'not-found');
      },
      '',
      '        outsiders: not-found\n',
    ],
    [
      'a key more in braces',
      (it) => {
        it.set(['locks', 'press', 'outsiders'], 'not-found');
      },
      '',
      ', outsiders: not-found',
    ],
    [
      'into an empty list',
      (it) => {
        it.addPlace('draft', 'covers', '/d/');
      },
      ' ',
      '/d/',
    ],
  ];
  for (const [name, edit, gone, brought] of cases) {
    for (const newline of ['\n', '\r\n']) {
      test(`${name}${newline === '\n' ? '' : ', with CRLF'}`, () => {
        const text = owners.replaceAll('\n', newline);
        const found = difference(text, edited(text, edit));
        // Where the same letters stand before and behind, either may be the one that went.
        assert.equal(found.gone.length, gone.replaceAll('\n', newline).length, found.gone);
        assert.equal(found.new.length, brought.replaceAll('\n', newline).length, found.new);
        const lines = [...gone.split('\n'), ...brought.split('\n')].map((line) => line.trim());
        for (const line of lines) assert.ok((text + edited(text, edit)).includes(line));
      });
    }
  }
});

describe('aliases', () => {
  const shared = `dorlin: 1
site: { name: x }
locks:
  a:
    covers: &all [/a/, /b/]
  b:
    covers: *all
  c: &c { covers: [/c/] }
  d: *c
`;
  for (const [name, edit, words] of [
    [
      'what is an alias',
      (it) => {
        it.addPlace('b', 'covers', '/n');
      },
      /`covers` of the lock `b` is the alias `\*all`/,
    ],
    [
      'what has aliases',
      (it) => {
        it.addPlace('a', 'covers', '/n');
      },
      /would change what `&all` .* every place that says `\*all`/,
    ],
    [
      'a lock that is one',
      (it) => {
        it.set(['locks', 'd', 'outsiders'], 'not-found');
      },
      /the lock `d` is the alias `\*c`/,
    ],
    [
      'a lock that has one',
      (it) => {
        it.removeLock('c');
      },
      /would change what `&c`/,
    ],
  ] as [string, (editor: PolicyEditor) => void, RegExp][]) {
    test(`${name}: refused, with words that say so`, () => {
      assert.throws(() => edited(shared, edit), { code: 'policy-shared', message: words });
    });
  }
  test('beside them, edits are as ever', () => {
    const text = edited(shared, (it) => {
      it.removeLock('d');
    });
    assert.equal(text, shared.replace('  d: *c\n', ''));
  });
});

test('whatever the layout, comments stay and the policy means what the edit says', () => {
  const places = ['/a/', '/b/', '/c', '/d/*', '/e'];
  fc.assert(
    fc.property(
      fc.record({
        indent: fc.integer({ min: 1, max: 6 }),
        isFlow: fc.boolean(),
        isFurther: fc.boolean(),
        newline: fc.constantFrom('\n', '\r\n'),
        comments: fc.array(fc.boolean(), { minLength: 6, maxLength: 6 }),
        gaps: fc.array(fc.boolean(), { minLength: 6, maxLength: 6 }),
        covers: fc.subarray(places, { minLength: 1 }),
      }),
      fc.array(fc.tuple(fc.boolean(), fc.constantFrom(...places, '/new/', '/x y')), {
        maxLength: 4,
      }),
      ({ indent, isFlow, isFurther, newline, comments, gaps, covers }, edits) => {
        const by = (level: number) => ' '.repeat(indent * level);
        const note = (at: number, level: number) => (comments[at] === true ? [`${by(level)}# note ${at}`] : []);
        const gap = (at: number) => (gaps[at] === true ? [''] : []);
        const list = isFlow
          ? [`${by(2)}covers: [${covers.join(', ')}] # list`]
          : [
              `${by(2)}covers:`,
              ...covers.flatMap((one, at) => [
                ...gap(at),
                ...note(at, isFurther ? 3 : 2),
                `${by(isFurther ? 3 : 2)}- ${one}`,
              ]),
            ];
        const text = [
          'dorlin: 1',
          ...gap(5),
          'site:',
          `${by(1)}name: x`,
          'locks:',
          `${by(1)}m: # here`,
          ...list,
          `${by(2)}remember: visit`,
          '# end',
          '',
        ].join(newline);
        const wanted = [...covers];
        const removed = new Set<string>();
        const after = editPolicy(text, 'p', (it) => {
          for (const [adds, place] of edits) {
            if (adds && !wanted.includes(place)) {
              wanted.push(place);
              it.addPlace('m', 'covers', place);
            } else if (!adds && wanted.includes(place) && wanted.length > 1) {
              wanted.splice(wanted.indexOf(place), 1);
              removed.add(place);
              it.removePlace('m', 'covers', place);
            }
          }
        });
        assert.deepEqual(
          after.after.locks.get('m')?.covers.map((one) => one.text),
          wanted,
        );
        for (const comment of ['# here', '# end']) assert.ok(after.text.includes(comment), after.text);
        covers.forEach((one, at) => {
          if (isFlow || comments[at] !== true || removed.has(one)) return;
          assert.ok(after.text.includes(`# note ${at}`), `${text}\n→\n${after.text}`);
        });
        if (newline === '\r\n') assert.doesNotMatch(after.text, /(?<!\r)\n/);
        else assert.doesNotMatch(after.text, /\r/);
      },
    ),
    { numRuns: 400 },
  );
});
