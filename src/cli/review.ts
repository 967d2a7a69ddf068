import { readFile } from 'node:fs/promises';
import type { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import { reviewPolicies } from '../core/policy/review.js';
import { loadPolicy } from '../stores/policy-file.js';
import { printChange } from './change.js';
import { makeCommand } from './command.js';
import { counted, paint, print, printJson } from './output.js';
import { readStandardInput } from './password-input.js';
import { targetOf } from '../server/site-files.js';
import { filesOfSite } from './site-pages.js';

interface ReviewOptions {
  readonly json?: boolean;
  readonly folder?: string;
  readonly pages?: string;
}

export function command(summary: string): Command {
  return makeCommand('review', summary, 'dorlin review dorlin.yaml dorlin-next.yaml')
    .usage('OLD NEW [options]')
    .argument('<old>', 'the policy that is in force')
    .argument('<new>', 'the one that is to be')
    .option(
      '--folder <dir>',
      'the folder of the site’s files; else `site.folder` of the new policy',
    )
    .option('--pages <file>', 'addresses instead, one a line; - for standard input')
    .action(review);
}

async function review(oldFile: string, newFile: string, options: ReviewOptions): Promise<void> {
  const [before, after] = await Promise.all([loadPolicy(oldFile), loadPolicy(newFile)]);
  const files =
    options.pages === undefined
      ? (await filesOfSite(newFile, after, options.folder)).map(targetOf)
      : await listedPages(options.pages);
  // The sections of both, as neither need be a file.
  const sections = [before, after].flatMap(({ locks }) =>
    [...locks.values()].flatMap(({ covers }) =>
      covers.flatMap((place) => (place.kind === 'section' ? encodeURI(place.text) : [])),
    ),
  );
  const targets = [...new Set([...files, ...sections])];
  const change = reviewPolicies(before, after, targets, Date.now() / 1000);
  if (options.json === true) {
    const { opened, closed, moved } = change;
    printJson({ old: oldFile, new: newFile, addresses: targets.length, opened, closed, moved });
    return;
  }
  print(
    `What ${paint.bold(newFile)} would change for strangers, of ${counted(targets.length, 'address', 'addresses')}:`,
  );
  print();
  printChange(change);
}

async function listedPages(file: string): Promise<string[]> {
  const text =
    file === '-'
      ? await readStandardInput()
      : await readFile(file, 'utf8').catch((cause: unknown) => {
          throw new DorlinError('call-wrong', `${file} cannot be read.`, { cause, mend: '' });
        });
  const lines = text.split(/\r?\n/).map((line) => line.trim());
  return lines.filter((line) => line !== '' && !line.startsWith('#'));
}
