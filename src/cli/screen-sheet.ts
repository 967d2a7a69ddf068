import type { Command } from 'commander';
import { writeFileWhole } from '../stores/whole-file.js';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import { screenSchema } from '../core/screen/design/schema.js';
import { escapeHtml } from '../core/screen/html.js';
import { builtInLanguages, screenLanguages } from '../core/screen/languages.js';
import { looks } from '../core/screen/looks/looks.js';
import { shownStates } from '../core/screen/sample.js';
import { makeScreen, type Screen } from '../core/screen/screen.js';
import { captioned, frameHtml, framed, framesStyle, stateWords, type FrameSize } from '../server/screen-frames.js';
import type { ScreenSheet } from '../owner/screen-files.js';
import { loadPolicy } from '../stores/policy-file.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { print, printJson } from './output.js';

interface SheetOptions extends CommonOptions {
  readonly own?: boolean;
  readonly scheme: string;
  readonly language?: string;
}

/** `dorlin screen sheet`: everything at one sight. */
export function sheetCommand(): Command {
  return makePolicyCommand(
    'sheet',
    'all looks in all states, wide and narrow, as one HTML file',
    'dorlin screen sheet looks.html --scheme dark',
  )
    .usage('FILE [options]')
    .argument('<file>', 'where to write it')
    .option('--own', 'the screens of the policy instead of the looks')
    .option('--scheme <scheme>', 'light, dark or both', 'both')
    .option('--language <tag>', `${builtInLanguages.join(', ')}; else the site’s first`)
    .action(writeSheet);
}

async function writeSheet(file: string, options: SheetOptions): Promise<void> {
  const policy = await loadPolicy(options.policy);
  const schemes = (['light', 'dark'] as const).filter((one) => options.scheme === 'both' || options.scheme === one);
  if (schemes.length === 0) {
    throw new DorlinError('call-wrong', `\`${options.scheme}\` is no scheme: write light, dark or both.`);
  }
  const tag = options.language ?? policy.site.languages[0] ?? 'en';
  if (!builtInLanguages.includes(tag.split('-')[0] ?? '')) {
    throw new DorlinError('call-wrong', `No texts are built in for \`${tag}\`.`, {
      mend: `There are ${builtInLanguages.join(', ')}.`,
    });
  }
  const screens =
    options.own === true
      ? [...policy.screens.values()]
      : Object.values(looks).map(({ name }) => makeScreen(name, screenSchema.parse({ look: name }), tag));
  const html = sheetHtml(policy, screens, schemes, tag);
  await writeFileWhole(file, html);
  const shown = screens.map(({ name }) => name);
  if (options.json === true) printJson({ file, screens: shown, schemes } satisfies ScreenSheet);
  else print(`Wrote ${file}: ${shown.join(', ')}, each in ${shownStates.length} states.`);
}

function sheetHtml(
  policy: Policy,
  screens: readonly Screen[],
  schemes: readonly ('light' | 'dark')[],
  tag: string,
): string {
  const [language] = screenLanguages([tag]);
  const now = Date.now() / 1000;
  // Of one height, so that what is wide and what is narrow stand side by side.
  const scales = { desk: 0.3, phone: 0.3243 } as const;
  const cell = (screen: Screen, scheme: 'light' | 'dark', state: (typeof shownStates)[number]) => {
    const html = frameHtml(policy, { screen, state, language, scheme }, '', now).replace(
      '\n<script src=""></script>',
      '',
    );
    const frame = (size: FrameSize) => framed(`srcdoc="${escapeHtml(html)}"`, size, stateWords[state], scales[size]);
    return captioned([frame('desk'), frame('phone')], stateWords[state]);
  };
  const parts = screens.map((screen) => {
    const { look } = screen.design;
    const about = screen.name === look ? looks[look].about : `In the look ${look}`;
    const rows = schemes.map((scheme) => {
      const cells = shownStates.map((state) => cell(screen, scheme, state));
      return `<div class="row">${cells.join('\n')}</div>`;
    });
    return `<section><h2>${escapeHtml(screen.name)}</h2><p>${escapeHtml(about)}.</p>${rows.join('\n')}</section>`;
  });
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>Screens of ${escapeHtml(policy.site.name)}</title>
<style>${framesStyle}</style>
</head>
<body>
<h1>Screens of ${escapeHtml(policy.site.name)}, side by side</h1>
${parts.join('\n')}
</body>
</html>
`;
}
