import type { Command } from 'commander';
import { retireSecrets, rotateSecret, type SecretChanged } from '../owner/secret.js';
import { makeGroup, makePolicyCommand, type CommonOptions } from './command.js';
import { counted, paint, print, printJson } from './output.js';

export function command(summary: string): Command {
  const group = makeGroup('secret', summary, 'dorlin secret rotate');
  group.addCommand(
    makePolicyCommand('rotate', 'sign with a new secret; nobody is put out', 'dorlin secret rotate').action(
      (options: CommonOptions) => change(options, rotateSecret),
    ),
  );
  group.addCommand(
    makePolicyCommand('retire', 'forget the older ones, and end what they signed', 'dorlin secret retire').action(
      (options: CommonOptions) => change(options, retireSecrets),
    ),
  );
  return group;
}

async function change(
  { policy, json }: CommonOptions,
  by: (policyFile: string) => Promise<SecretChanged>,
): Promise<void> {
  const result = await by(policy);
  if (json === true) {
    printJson(result);
    return;
  }
  const { verify, retired, shared } = result;
  if (retired > 0)
    print(`${counted(retired, 'older secret')} retired: passes and entry links that were signed by them have ended.`);
  else if (verify === 1) print('There is only the one that signs.');
  else print(`A new secret signs from now on. ${counted(verify - 1, 'older one')} still count, so nobody is put out.`);
  print(paint.dim(shared === undefined ? 'What runs by this policy knows it.' : `All guards of ${shared} know it.`));
  if (verify > 1) print(paint.dim('Once nobody needs the older ones any more: dorlin secret retire'));
}
