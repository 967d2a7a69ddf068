import type { Command } from 'commander';
import type { HandedOut, HandOutOrder } from '../owner/hand-out.js';
import { paint, print } from './output.js';

/** The options of commands that hand something out. */
export interface HandingOutOptions {
  readonly text?: boolean;
  readonly qr?: boolean;
  readonly svg?: string;
  readonly language?: string;
  readonly origin?: string;
}

export function withHandingOut(made: Command): Command {
  return made
    .option('--text', 'a text ready to send, and addresses that open it as mail or message')
    .option('--qr', 'a QR code in the terminal')
    .option('--svg <file>', 'a sheet to print, with the QR code')
    .option('--language <tag>', 'the language of the text; else the site’s first')
    .option('--origin <url>', 'scheme and host of the site; else `site.origin`');
}

export const handOutOrder = ({ language, origin, svg }: HandingOutOptions): HandOutOrder => ({
  language,
  origin,
  sheet: svg,
});

/** Prints what the options ask for. */
export async function printHandedOut(out: HandedOut, options: HandingOutOptions): Promise<void> {
  if (options.text === true) {
    print();
    print(out.text.replace(/^(?=.)/gm, '  '));
    print();
    print(`${paint.dim('as mail   ')} ${out.mailto}`);
    print(`${paint.dim('as message')} ${out.sms}`);
  }
  if (options.qr === true) {
    const { terminalQr } = await import('./terminal-qr.js');
    print();
    print(await terminalQr(out.address));
  }
  if (out.sheet !== undefined) print(`\nWritten to ${out.sheet}`);
}
