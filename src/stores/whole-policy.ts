import { putHere } from './put-here.js';
import { storeAddress, tieOf } from './tie.js';

/** Whether a policy is a copy of one that many machines share, and that one can be reached. */
const isShared = async (policyFile: string) => storeAddress() !== undefined && (await tieOf(policyFile)) !== undefined;

/**
 * Puts a policy in its place whole: first into the store that many machines share, where it is a copy of
 * one there. If that is refused, nothing is written.
 *
 * @throws DorlinError `source-changed`, `source-refused`, `store-away`, `store-unfit`
 */
export async function putWhole(policyFile: string, text: string): Promise<void> {
  if (!(await isShared(policyFile))) {
    await putHere(policyFile, text);
    return;
  }
  const { pushText } = await import('./redis/working-copy.js');
  const tied = await pushText(policyFile, text);
  await putHere(policyFile, text);
  await tied();
}

/** Has the passwords that can be looked up in the shared store be those that can here. */
export async function shareRecall(policyFile: string): Promise<void> {
  if (!(await isShared(policyFile))) return;
  const { pushRecall } = await import('./redis/working-copy.js');
  await pushRecall(policyFile);
}
