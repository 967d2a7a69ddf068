import assert from 'node:assert/strict';
import { test } from 'node:test';
import { matrixOf, namedTargets } from '../../src/core/explain/matrix.js';
import { testPolicy } from '../support/policies.js';

test('every outcome has its word, and every kind of visitor its column', async () => {
  const policy = await testPolicy(
    {
      members: {
        covers: ['/members/'],
        except: ['/members/join'],
        passwords: { Members: 'one two' },
      },
      prompt: { covers: ['/admin/'], passwords: { Wardens: 'two three' }, basic: 'always' },
      shut: { covers: ['/shut/'], bypass: ['office'], outsiders: 'closed' },
      hidden: { covers: ['/hidden/'], bypass: ['crew'], outsiders: 'not-found' },
      away: { covers: ['/away/'], bypass: ['staff'], outsiders: { redirect: '/join' } },
    },
    {},
    {
      bypasses: {
        office: { addresses: ['203.0.113.64/26'] },
        crew: { people: ['imke@kestrelmoor.example'], roles: ['rigger'] },
        staff: { signedIn: true },
        past: { roles: ['x'], until: '2001-01-01' },
      },
    },
  );
  const { kinds, rows } = matrixOf(policy, namedTargets(policy), 1_800_000_000);
  assert.deepEqual(
    kinds.map(({ name }) => name),
    ['stranger', 'opened members', 'opened prompt', 'bypass office', 'bypass crew', 'bypass staff'],
  );
  assert.deepEqual(
    rows.map(({ target, outcomes }) => `${target} ${outcomes.join(' ')}`),
    [
      '/ open open open open open open',
      '/members/ asked let-in asked asked asked asked',
      '/members/join open open open open open open',
      '/admin/ prompted prompted let-in prompted prompted prompted',
      '/shut/ closed closed closed let-in closed closed',
      '/hidden/ hidden hidden hidden hidden let-in hidden',
      '/away/ sent-away sent-away sent-away sent-away let-in let-in',
    ],
  );
});
