import type { Command } from 'commander';
import { writeFileWhole } from '../stores/whole-file.js';
import { shownRatio } from '../core/check/screen-checks.js';
import { findingTable } from '../core/check/table.js';
import { DorlinError } from '../core/errors.js';
import { screenStates } from '../core/screen/view.js';
import { screenNamed } from '../owner/named.js';
import { exportScreen, judgeScreens } from '../owner/screen-files.js';
import { listScreens } from '../owner/screens.js';
import { siteFolder } from '../owner/site-files.js';
import { loadPolicy } from '../stores/policy-file.js';
import { makeGroup, makePolicyCommand, type CommonOptions } from './command.js';
import { streams } from './streams.js';
import { columns, counted, noteFound, paint, print, printJson } from './output.js';
import { editCommand, keepCommand, newCommand, removeCommand, screenRow } from './screen-edit.js';
import { addTokenCommands } from './screen-tokens.js';
import { sheetCommand } from './screen-sheet.js';
import { untilTold } from './told.js';

interface ScreenOptions extends CommonOptions {
  readonly folder?: string;
  readonly port?: string;
  readonly state?: string;
  readonly language?: string;
  readonly out?: string;
}

export function command(summary: string): Command {
  const group = makeGroup('screen', summary, 'dorlin screen preview evening');
  group.addCommand(
    makePolicyCommand('list', 'the screens of the policy, and the looks there are', 'dorlin screen list').action(list),
  );
  group.addCommand(
    makePolicyCommand(
      'preview',
      'show every state side by side, and anew whenever the policy is saved',
      'dorlin screen preview evening --port 4290',
    )
      .usage('[NAME] [options]')
      .argument('[name]', 'the screen to begin with', undefined)
      .option('--folder <dir>', 'where the site’s pictures are; else the policy’s `site.folder`')
      .option('--port <port>', 'where to listen; else any that is free')
      .action(preview),
  );
  group.addCommand(
    makePolicyCommand(
      'check',
      'the contrast of every pair of colors that meets, and other mistakes',
      'dorlin screen check evening',
    )
      .usage('[NAME] [options]')
      .argument('[name]', 'one screen; else all')
      .action(check),
  );
  group.addCommand(
    makePolicyCommand(
      'export',
      'a screen as one HTML file that needs no other',
      'dorlin screen export evening --state wrong --out evening.html',
    )
      .usage('NAME [options]')
      .argument('<name>')
      .option('--state <state>', screenStates.join(', '), 'ask')
      .option('--language <tag>', 'one of `site.languages`; else the first')
      .option('--folder <dir>', 'where the site’s pictures are; else the policy’s `site.folder`')
      .option('--out <file>', 'where to write it; else it is printed')
      .action(exportIt),
  );
  for (const one of [newCommand(), editCommand(), removeCommand(), keepCommand(), sheetCommand()])
    group.addCommand(one);
  addTokenCommands(group);
  return group;
}

async function list(options: CommonOptions): Promise<void> {
  const found = await listScreens(options.policy);
  if (options.json === true) {
    printJson(found);
    return;
  }
  print(paint.bold('Screens'));
  print(columns(found.screens.map(screenRow)));
  print();
  print(paint.bold('Looks to start from'));
  print(columns(found.looks.map(({ name, about }) => [paint.cyan(name), about])));
  print();
  print(paint.dim('To start from one: dorlin screen new evening --look lantern'));
}

async function preview(name: string | undefined, options: ScreenOptions): Promise<void> {
  const told = untilTold();
  const policy = await loadPolicy(options.policy);
  if (name !== undefined) screenNamed(policy, name);
  const port = Number(options.port ?? 0);
  if (!Number.isInteger(port) || port < 0 || port > 65_535) {
    throw new DorlinError('call-wrong', `\`${options.port ?? ''}\` is no port: it is a number from 0 to 65535.`);
  }
  const { previewScreens } = await import('../server/screen-preview.js');
  const hasFolder = options.folder !== undefined || policy.site.folder !== undefined;
  const folder = hasFolder ? siteFolder(options.policy, policy, options.folder) : undefined;
  const running = await previewScreens(options.policy, { folder, port, shown: name });
  if (options.json === true) printJson({ type: 'listening', url: running.url });
  else {
    print(`  The screens are at ${paint.bold(paint.cyan(running.url))}`);
    print(paint.dim('  Save the policy, and the page follows. Ctrl-C ends it.'));
  }
  await told;
  await running.close();
}

async function check(name: string | undefined, options: CommonOptions): Promise<void> {
  const judged = await judgeScreens(options.policy, name);
  const { screens, findings } = judged;
  if (findings.length > 0) noteFound();
  if (options.json === true) {
    printJson(judged);
    return;
  }
  for (const { screen, pairs } of screens) {
    print(paint.bold(screen));
    const rows = pairs.map(({ scheme, role, on, color, behind, ratio, wanted, passes, nearest }) => [
      scheme,
      role,
      `${color} on ${on}${behind.length === 1 ? ` ${behind[0] ?? ''}` : ''}`,
      `${shownRatio(ratio)} of ${wanted}`,
      passes
        ? paint.green('passes')
        : paint.yellow(nearest === undefined ? 'fails: no color passes there' : `fails: ${nearest} passes`),
    ]);
    print(columns(rows));
    print();
  }
  const others = findings.filter(({ code }) => code !== 'screen-contrast');
  for (const { code, text } of others) {
    print(`${paint.yellow('•')} ${text} ${paint.dim(`[${code}]`)}`);
    print(`  ${paint.cyan('→')} ${findingTable[code].mend}`);
  }
  print(
    findings.length === 0
      ? paint.green('Every pair of colors that meets passes WCAG 2.2 AA.')
      : paint.yellow(`${counted(findings.length, 'finding')}.`),
  );
}

async function exportIt(name: string, options: ScreenOptions): Promise<void> {
  const { state, language, folder, out, json } = options;
  const exported = await exportScreen(options.policy, name, { state, language, folder });
  if (out !== undefined) await writeFileWhole(out, exported.html);
  if (json === true) printJson(exported);
  else if (out === undefined) streams().out.write(exported.html);
  else print(`Wrote ${out}, which shows the screen ${name} and needs no other file.`);
}
