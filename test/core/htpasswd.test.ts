import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { formatHtpasswd, isBcrypt, isImportedHash, parseHtpasswd } from '../../src/core/passwords/htpasswd.js';

const bcrypt = (cost = '10', letters = 53) => `$2y$${cost}$${'a'.repeat(letters)}`;
const apr1 = `$apr1$${'s'.repeat(8)}$${'h'.repeat(22)}`;

describe('an htpasswd file', () => {
  test('users with bcrypt and apr1 are taken, comments and empty lines left out, as it was written', () => {
    const text = `# the desk\r\n\r\nbran:${bcrypt()}\r\n  wren:${apr1}  \nsea eagle:${apr1}:more:fields\n`;
    const { users, problems } = parseHtpasswd(text);
    assert.deepEqual(problems, []);
    assert.deepEqual(users, [
      { user: 'bran', hash: bcrypt() },
      { user: 'wren', hash: apr1 },
      { user: 'sea eagle', hash: apr1 },
    ]);
    assert.deepEqual(parseHtpasswd(formatHtpasswd(users)).users, users);
  });

  // a line → what is said of it
  const lines: [string, RegExp][] = [
    ['nobody', /^it is not `user:hash`$/],
    [`:${apr1}`, /^it is not `user:hash`$/],
    ['bran:', /the hash of bran is of an unknown kind: only bcrypt and apr1 can be taken/],
    [`${'u'.repeat(121)}:${apr1}`, /longer than 120 characters/],
    ['bran:{SHA}2jmj7l5rSw0yVb/vlWAYkK/YBwk=', /SHA-1 without salt/],
    ['bran:$5$salt$hash', /SHA-crypt/],
    ['bran:$6$salt$hash', /SHA-crypt/],
    [`bran:${bcrypt('15')}`, /more than 2\^14 rounds, or damaged/],
    [`bran:${bcrypt('03')}`, /more than 2\^14 rounds, or damaged/],
    [`bran:${bcrypt('10', 52)}`, /damaged/],
    [`bran:${bcrypt('10', 54)}`, /damaged/],
    ['bran:$apr1$toolongsalt$hhhhhhhhhhhhhhhhhhhhhh', /is damaged/],
    ['bran:abcdefghijklm', /the old crypt, cut off at 8 characters/],
    ['bran:abcdefghijkl', /of an unknown kind/],
  ];
  for (const [line, expected] of lines) {
    test(`${line.slice(0, 40)}: is named, and not taken`, () => {
      const { users, problems } = parseHtpasswd(`# first\n${line}\nwren:${apr1}`);
      assert.deepEqual(users, [{ user: 'wren', hash: apr1 }]);
      assert.equal(problems.length, 1);
      assert.equal(problems[0]?.line, 2);
      assert.match(problems[0].message, expected);
    });
  }
  test('a user who stands there twice is taken once, and named', () => {
    const { users, problems } = parseHtpasswd(`a:${apr1}\nb:${apr1}\na:${bcrypt()}`);
    assert.deepEqual(users, [
      { user: 'a', hash: apr1 },
      { user: 'b', hash: apr1 },
    ]);
    assert.deepEqual(problems, [{ line: 3, message: 'a stands there twice' }]);
  });
  test('120 letters are a user name; 2^4 to 2^14 rounds are bcrypt', () => {
    const { users } = parseHtpasswd(`${'u'.repeat(120)}:${bcrypt('04')}\nv:${bcrypt('14')}`);
    assert.equal(users.length, 2);
  });
  test('what is bcrypt, and what is imported at all', () => {
    assert.deepEqual([bcrypt(), apr1, '$argon2id$v=19$m=8,t=1,p=1$a$b', `x${bcrypt()}`].map(isImportedHash), [
      true,
      true,
      false,
      false,
    ]);
    assert.deepEqual([bcrypt(), apr1].map(isBcrypt), [true, false]);
  });
});
