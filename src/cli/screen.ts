import { readFile, writeFile } from 'node:fs/promises';
import { extname, join } from 'node:path';
import { Command } from 'commander';
import mime from 'mime';
import { checkScreens, failingPairs, shownRatio } from '../core/check/screen-checks.js';
import { findingTable } from '../core/check/table.js';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import { pairsOf } from '../core/screen/design/contrast.js';
import { filesOf } from '../core/screen/design/files.js';
import { looks } from '../core/screen/looks/looks.js';
import { screenLanguages } from '../core/screen/languages.js';
import { renderScreen } from '../core/screen/render.js';
import { cspHashOf } from '../core/screen/hash.js';
import { sampleView } from '../core/screen/sample.js';
import type { Screen } from '../core/screen/screen.js';
import { screenStates, type ScreenState } from '../core/screen/view.js';
import { loadPolicy } from '../stores/policy-file.js';
import { makePolicyCommand, siteFolder, type CommonOptions } from './command.js';
import { columns, counted, noteFound, paint, print, printJson } from './output.js';
import { addTokenCommands } from './screen-tokens.js';
import { screenNamed } from './screen-named.js';
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
  const group = new Command('screen')
    .description(summary)
    .exitOverride()
    .addHelpText('after', '\nExample:\n  dorlin screen preview evening');
  group.addCommand(
    makePolicyCommand(
      'list',
      'the screens of the policy, and the looks there are',
      'dorlin screen list',
    ).action(list),
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
      .action(exportScreen),
  );
  group.addCommand(sheetCommand());
  addTokenCommands(group);
  return group;
}

const locksOf = (policy: Policy, screen: Screen) =>
  [...policy.locks.values()].filter((lock) => lock.screen === screen).map(({ name }) => name);

async function list(options: CommonOptions): Promise<void> {
  const policy = await loadPolicy(options.policy);
  const screens = [...policy.screens.values()];
  if (options.json === true) {
    printJson({
      screens: screens.map((screen) => ({
        name: screen.name,
        look: screen.design.look,
        layout: screen.design.layout,
        scheme: screen.design.scheme,
        locks: locksOf(policy, screen),
        failingPairs: failingPairs(screen).length,
      })),
      looks: Object.values(looks).map(({ name, layout, about }) => ({ name, layout, about })),
    });
    return;
  }
  print(paint.bold('Screens'));
  print(
    columns(
      screens.map((screen) => {
        const failing = failingPairs(screen).length;
        const locks = locksOf(policy, screen);
        return [
          paint.bold(screen.name),
          `${screen.design.look}, ${screen.design.layout}`,
          locks.length === 0 ? paint.dim('shown by no lock') : `shown by ${locks.join(', ')}`,
          failing === 0 ? paint.green('contrast passes') : paint.yellow(`${counted(failing, 'pair')} of colors too faint`), // prettier-ignore
        ];
      }),
    ),
  );
  print();
  print(paint.bold('Looks to start from'));
  print(columns(Object.values(looks).map(({ name, about }) => [paint.cyan(name), about])));
  print();
  print(paint.dim('Name one in the policy: `screens: { default: { look: harbour } }`.'));
}

async function preview(name: string | undefined, options: ScreenOptions): Promise<void> {
  const told = untilTold();
  const policy = await loadPolicy(options.policy);
  if (name !== undefined) screenNamed(policy, name);
  const port = Number(options.port ?? 0);
  if (!Number.isInteger(port) || port < 0 || port > 65_535) {
    throw new DorlinError('call-wrong', `\`${options.port ?? ''}\` is no port: it is a number from 0 to 65535.`); // prettier-ignore
  }
  const { previewScreens } = await import('../server/screen-preview.js');
  const folder = folderIfAny(options, policy);
  const running = await previewScreens(options.policy, { folder, port, shown: name });
  if (options.json === true) printJson({ type: 'listening', url: running.url });
  else {
    print(`  The screens are at ${paint.bold(paint.cyan(running.url))}`);
    print(paint.dim('  Save the policy, and the page follows. Ctrl-C ends it.'));
  }
  await told;
  await running.close();
}

const folderIfAny = ({ policy: file, folder }: ScreenOptions, policy: Policy) =>
  folder === undefined && policy.site.folder === undefined
    ? undefined
    : siteFolder(file, policy, folder);

async function check(name: string | undefined, options: CommonOptions): Promise<void> {
  const policy = await loadPolicy(options.policy);
  const { nearestPassing } = await import('../core/screen/design/nearest.js');
  const screens = name === undefined ? [...policy.screens.values()] : [screenNamed(policy, name)];
  const names = new Set(screens.map((screen) => screen.name));
  const findings = checkScreens(policy, nearestPassing, Date.now() / 1000).filter(({ about }) =>
    names.has(about),
  );
  if (findings.length > 0) noteFound();
  const judged = screens.map((screen) => ({
    screen: screen.name,
    pairs: pairsOf(screen.design).map(({ scheme, role, on, color, behind, ratio, wanted }) => {
      const passes = ratio >= wanted;
      const nearest = passes ? undefined : nearestPassing(color, behind, wanted);
      return { scheme, role, on, color, behind, ratio, wanted, passes, nearest };
    }),
  }));
  if (options.json === true) {
    printJson({ screens: judged, findings });
    return;
  }
  for (const { screen, pairs } of judged) {
    print(paint.bold(screen));
    const rows = pairs.map(
      ({ scheme, role, on, color, behind, ratio, wanted, passes, nearest }) => [
        scheme,
        role,
        `${color} on ${on}${behind.length === 1 ? ` ${behind[0] ?? ''}` : ''}`,
        `${shownRatio(ratio)} of ${wanted}`,
        passes ? paint.green('passes') : paint.yellow(nearest === undefined ? 'fails: no color passes there' : `fails: ${nearest} passes`), // prettier-ignore
      ],
    );
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

async function exportScreen(name: string, options: ScreenOptions): Promise<void> {
  const policy = await loadPolicy(options.policy);
  const screen = screenNamed(policy, name);
  const state = screenStates.find((one) => one === options.state);
  if (state === undefined) {
    throw new DorlinError('call-wrong', `There is no state \`${options.state ?? ''}\`.`, {
      mend: `There are ${screenStates.join(', ')}.`,
    });
  }
  const html = await standAlone(policy, screen, state, options);
  if (options.out === undefined) process.stdout.write(html);
  else {
    await writeFile(options.out, html);
    if (options.json === true)
      printJson({ screen: name, state, file: options.out, bytes: Buffer.byteLength(html) }); // prettier-ignore
    else print(`Wrote ${options.out}, which shows the screen ${name} and needs no other file.`);
  }
}

/** A screen as one file: what it shows is in it, and nothing can be sent from it. */
async function standAlone(
  policy: Policy,
  screen: Screen,
  state: ScreenState,
  options: ScreenOptions,
): Promise<string> {
  const languages = screenLanguages(policy.site.languages);
  const language =
    options.language === undefined
      ? languages[0]
      : languages.find(({ tag }) => tag === options.language);
  if (language === undefined) {
    throw new DorlinError('call-wrong', `The site does not speak \`${options.language ?? ''}\`.`, {
      mend: `It speaks ${languages.map(({ tag }) => tag).join(', ')}; add to \`site.languages\`.`,
    });
  }
  const view = sampleView(policy, screen, state, language, { now: Date.now() / 1000, script: '' });
  let html = renderScreen(view).replace(/\n<script src=""><\/script>/, '');
  const folder = folderIfAny(options, policy);
  for (const path of filesOf(screen.design)) {
    if (folder === undefined) {
      throw new DorlinError('folder-missing', `The screen shows ${path}, and no folder is named.`);
    }
    const bytes = await readFile(join(folder, decodeURI(path))).catch((cause: unknown) => {
      throw new DorlinError('call-wrong', `${path}, which the screen shows, cannot be read in ${folder}.`, { cause, mend: 'Name the folder of the site’s files with `--folder`.' }); // prettier-ignore
    });
    const data = `data:${mime.getType(extname(path)) ?? 'application/octet-stream'};base64,${bytes.toString('base64')}`;
    html = html.split(`"${path}"`).join(`"${data}"`);
  }
  const style = /<style>([\s\S]*?)<\/style>/.exec(html)?.[1] ?? '';
  const csp = `default-src 'none'; style-src ${cspHashOf(style)}; img-src data:; font-src data:; form-action 'none'`;
  return html.replace(
    '<title>',
    () => `<meta http-equiv="content-security-policy" content="${csp}">\n<title>`,
  );
}
