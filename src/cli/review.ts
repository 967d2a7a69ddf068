import { readFile } from 'node:fs/promises';
import type { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import { review, type AddressSource } from '../owner/review.js';
import { printChange } from './change-words.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { counted, paint, print, printJson } from './output.js';
import { readStandardInput } from './password-input.js';

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
    .option('--folder <dir>', 'the folder of the site’s files; else `site.folder` of the new policy')
    .option('--pages <file>', 'addresses instead, one a line; - for standard input')
    .option('--sitemap <where>', 'those of a sitemap instead: its address, or a file')
    .option('--crawl <url>', 'those that a walk over the site finds instead, as a stranger')
    .action(compare);
}

async function compare(old: string | undefined, fresh: string | undefined, options: ReviewOptions): Promise<void> {
  if (old !== undefined && fresh === undefined) {
    throw new DorlinError('call-wrong', 'Two policies are to be compared: name the new one, too.', {
      mend: 'Without both, the policy is compared with its draft.',
    });
  }
  const files = old === undefined || fresh === undefined ? undefined : { old, new: fresh };
  const result = await review(options.policy, files, await sourceOf(options));
  if (options.json === true) {
    printJson(result);
    return;
  }
  print(
    `What ${paint.bold(result.new)} would change for strangers, of ${counted(result.addresses, 'address', 'addresses')}:`,
  );
  print();
  printChange(result);
}

/** Where the addresses come from by which policies are compared. */
async function sourceOf({ folder, pages, sitemap, crawl }: ReviewOptions): Promise<AddressSource> {
  const named = [folder, pages, sitemap, crawl].filter((one) => one !== undefined);
  if (named.length > 1) {
    throw new DorlinError('call-wrong', '`--folder`, `--pages`, `--sitemap` and `--crawl` exclude each other.', {
      mend: '',
    });
  }
  if (pages !== undefined) return { pages: await listedPages(pages) };
  if (sitemap !== undefined) return { sitemap };
  return crawl === undefined ? { folder } : { crawl };
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
