import { readFile } from 'node:fs/promises';
import type { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import { reviewPolicies } from '../core/policy/review.js';
import { addressesFrom } from '../patrol/addresses-from.js';
import { addressesInSitemap } from '../server/sitemap.js';
import { targetOf } from '../server/site-files.js';
import { draftFile } from '../stores/draft.js';
import { loadPolicy } from '../stores/policy-file.js';
import { printChange, sectionsOf } from './change.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { counted, paint, print, printJson } from './output.js';
import { readStandardInput } from './password-input.js';
import { filesOfSite } from './site-pages.js';

interface ReviewOptions extends CommonOptions {
  readonly folder?: string;
  readonly pages?: string;
  readonly sitemap?: string;
  readonly crawl?: string;
}

export function command(summary: string): Command {
  return makePolicyCommand(
    'review',
    summary,
    'dorlin review\ndorlin review dorlin.yaml dorlin-next.yaml --crawl https://kestrelmoor.example',
  )
    .usage('[OLD NEW] [options]')
    .argument('[old]', 'the policy that is in force; without both, the policy and its draft')
    .argument('[new]', 'the one that is to be')
    .option(
      '--folder <dir>',
      'the folder of the site’s files; else `site.folder` of the new policy',
    )
    .option('--pages <file>', 'addresses instead, one a line; - for standard input')
    .option('--sitemap <where>', 'those of a sitemap instead: its address, or a file')
    .option('--crawl <url>', 'those that a walk over the site finds instead, as a stranger')
    .action(review);
}

async function review(
  given: string | undefined,
  givenNew: string | undefined,
  options: ReviewOptions,
): Promise<void> {
  if (given !== undefined && givenNew === undefined) {
    throw new DorlinError('call-wrong', 'Two policies are to be compared: name the new one, too.', {
      mend: 'Without both, the policy is compared with its draft.',
    });
  }
  const oldFile = given ?? options.policy;
  const newFile = givenNew ?? draftFile(options.policy);
  const [before, after] = await Promise.all([
    loadPolicy(oldFile),
    loadPolicy(newFile).catch((error: unknown) => {
      const isDraft = givenNew === undefined;
      if (isDraft && error instanceof DorlinError && error.code === 'policy-missing') {
        throw new DorlinError('draft-missing', `There is no draft ${newFile}.`);
      }
      throw error;
    }),
  ]);
  const pages = await pagesOf(newFile, after, options);
  // The sections of both, as neither need be a file.
  const targets = [...new Set([...pages, ...sectionsOf(before), ...sectionsOf(after)])];
  const change = reviewPolicies(before, after, targets, Date.now() / 1000);
  if (options.json === true) {
    const { opened, closed, moved, groups, ways } = change;
    const about = { old: oldFile, new: newFile, addresses: targets.length };
    printJson({ ...about, opened, closed, moved, groups, ways });
    return;
  }
  print(
    `What ${paint.bold(newFile)} would change for strangers, of ${counted(targets.length, 'address', 'addresses')}:`,
  );
  print();
  printChange(change);
}

/** The addresses that policies are compared by. */
async function pagesOf(
  policyFile: string,
  policy: Policy,
  { folder, pages, sitemap, crawl }: ReviewOptions,
): Promise<string[]> {
  const named = [folder, pages, sitemap, crawl].filter((one) => one !== undefined);
  if (named.length > 1) {
    throw new DorlinError(
      'call-wrong',
      '`--folder`, `--pages`, `--sitemap` and `--crawl` exclude each other.',
      { mend: '' },
    );
  }
  if (pages !== undefined) return listedPages(pages);
  if (sitemap !== undefined) return addressesInSitemap(sitemap);
  if (crawl !== undefined) return addressesFrom(crawl);
  return (await filesOfSite(policyFile, policy, folder)).map(targetOf);
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
