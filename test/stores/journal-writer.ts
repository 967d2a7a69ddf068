/** Writes to a journal until it is killed: FILE of the policy, NAME of this process. */
import { loadPolicy } from '../../src/stores/policy-file.js';
import { fileJournal } from '../../src/stores/journal-file.js';

const [policyFile = '', name = '', most = '0'] = process.argv.slice(2);
const policy = await loadPolicy(policyFile);
let count = 0;
// A fifth of a second a line: however fast the machine is, what is told was not left out as a flood.
const journal = fileJournal(
  policyFile,
  () => policy,
  undefined,
  () => Date.now() / 1000 + count / 5,
);
for (; count < Number(most); count++) {
  journal.note({ type: 'unlocked', lock: 'members', opener: 'aa', label: `${name}-${count}`, address: '192.0.2.0/24' });
  if (count % 10 === 0) {
    await journal.settled();
    process.stdout.write(`${count}\n`);
  }
}
await journal.settled();
