/** Makes docs/screenshots from the demo: pages in Chromium, commands as a terminal shows them. */
import { execFileSync } from 'node:child_process';
import { copyFile, cp, mkdir, readdir, readFile, writeFile, mkdtemp, symlink } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import sharp from 'sharp';
import { launch, freshPage } from '../test/support/browser.js';
import { dorlin, repository, running } from '../test/support/command-line.js';

const folder = `${repository}/docs/screenshots`;
await mkdir(folder, { recursive: true });
const browser = await launch();
const demo = await running(repository, ['demo', '--port', '4288']);
const wide = { viewport: { width: 1280, height: 800 } };

const page = await freshPage(browser, demo.url, wide);
await page.goto('/');
await page.screenshot({ path: `${folder}/demo-start.png` });
await page.goto('/members/log');
await page.screenshot({ path: `${folder}/screen-ask.png` });
await page.goto('/public-nights');
await page.unlock('plover-kettle');
await page.screenshot({ path: `${folder}/screen-wrong.png` });

const phone = await freshPage(browser, demo.url, {
  viewport: { width: 360, height: 740 },
  deviceScaleFactor: 2,
});
await phone.goto('/visits/teacher-pack');
await phone.screenshot({ path: `${folder}/screen-phone.png` });

await page.goto('/public-nights');
await page.unlock('heather-lantern-slow-comet');
await page.goto('/events');
await page.locator('#night-walk').scrollIntoViewIfNeeded();
await page.mouse.wheel(0, 160);
await page.waitForTimeout(300);
await page.screenshot({ path: `${folder}/section.png` });

const editor = await freshPage(browser, demo.url, wide);
await editor.goto('/sign-in');
await editor.getByRole('button', { name: /Tam Orrick/ }).click();
await editor.goto('/public-nights');
await editor.getByRole('button', { name: 'See it as the public does' }).waitFor();
await editor.screenshot({ path: `${folder}/ribbon.png` });

const colors: Readonly<Record<string, string>> = {
  '31': '#ff9d8f',
  '32': '#8fd6a4',
  '33': '#f4c063',
  '36': '#8fd0e0',
};

/** Text with terminal colors as HTML. */
function terminalHtml(text: string): string {
  const escaped = text
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    // A code, of which a terminal leaves no gaps between the lines.
    .replace(/^ *\u001b\[107m\u001b\[30m([^\u001b]*)\u001b\[39m\u001b\[49m\n/gm, '<s>$1</s>');
  // Every start of a style is closed by the code that ends it: 39, 22.
  return escaped
    .replace(/\u001b\[(31|32|33|36)m/g, (_, code: string) => `<span style="color:${colors[code] ?? ''}">`)
    .replace(/\u001b\[1m/g, '<b>')
    .replace(/\u001b\[2m/g, '<i>')
    .replace(/\u001b\[39m/g, '</span>')
    .replace(/\u001b\[22m/g, '</b></i>');
}

// As where it is installed for all: its hints name it as it is called here.
const programs = await mkdtemp(join(tmpdir(), 'dorlin-programs-'));
await symlink(`${repository}/dist/node/dorlin.js`, join(programs, 'dorlin'));
const env = { ...process.env, PATH: `${programs}:${process.env['PATH'] ?? ''}` };

/** One or more calls of `dorlin`, one below the other, as a person would see them. */
async function terminal(
  name: string,
  calls: readonly string[],
  cwd = `${repository}/examples/observatory`,
): Promise<void> {
  const printed = calls.map((call) => {
    // `script` gives the command a terminal of its own.
    // A bar that moves leaves its traces in what is read here; without a terminal, there is none.
    const run = `dorlin ${call} 2>/dev/null`;
    // Without `-e`, so that a finding is no failure.
    const text = execFileSync('script', ['-qc', run, '/dev/null'], { cwd, env, encoding: 'utf8' });
    return `<u>$</u> dorlin ${call}\n${terminalHtml(text.replaceAll('\r', ''))}`;
  });
  const view = await browser.newPage({ viewport: { width: 1280, height: 200 } });
  await view.setContent(
    `<style>body{margin:0;background:#16201f;color:#e4ece9;font:16px/1.42 'DejaVu Sans Mono',monospace;padding:28px 36px}pre{margin:0;font:inherit}i{font-style:normal;opacity:.62}u{text-decoration:none;color:#f4b942}s{text-decoration:none;display:block;width:fit-content;margin-left:2ch;line-height:1.164;background:#fff;color:#000}</style><pre>${printed.join('\n')}</pre>`,
  );
  await view.screenshot({ path: `${folder}/${name}.png`, fullPage: true });
  await view.close();
}

await terminal('places', ['places']);
await terminal('explain', ['explain /MEMBERS//rota.html', "explain '/contact;x'", 'explain /members/%2e%2e/contact']);
// Of another terminal, while the policy is edited.
const sheetFile = join(tmpdir(), 'dorlin-looks.html');
await dorlin(`${repository}/examples/observatory`, ['screen', 'sheet', sheetFile, '--scheme', 'light']);
const looks = await browser.newPage({ viewport: { width: 3230, height: 800 } });
await looks.goto(`file://${sheetFile}`);
await looks.screenshot({ path: `${folder}/looks.png`, fullPage: true });
await looks.close();
const preview = await running(`${repository}/examples/observatory`, ['screen', 'preview', 'press', '--port', '4289']);
const shown = await browser.newPage({ viewport: { width: 1660, height: 800 } });
await shown.goto(preview.url);
await shown.waitForTimeout(800);
await shown.screenshot({ path: `${folder}/preview.png`, fullPage: true });
await shown.close();
await preview.end();
// In the demo's own copy, as these write.
const copy = dirname(/ --policy (\S+)/.exec(demo.printed())?.[1] ?? '');
await terminal('journal', ['journal --lines 6'], copy);
// A few slips, to be found.
await dorlin(copy, ['lock', 'members', '/abuot/', '--draft', '--dynamic']);
await dorlin(copy, ['lock', 'members', '/about/', '/events', '--draft']);
await dorlin(copy, ['release', '/visits/teacher-pack', '--draft']);
await dorlin(copy, ['bypass', 'add', 'everywhere', '--address', '0.0.0.0/0', '--lock', 'press', '--draft']);
await dorlin(copy, ['password', 'retire', 'members', 'h8tz', '--draft']);
await terminal('review', ['review'], copy);
await dorlin(copy, ['live']);
await terminal('check', ['check --at 2027-03-21'], copy);
await dorlin(copy, ['back']);
await consoleOf(demo.printed());
await carelessSite();
await demo.end();
await browser.close();

/** The demo's console, set up by the address that it prints. */
async function consoleOf(printed: string): Promise<void> {
  const invitation = /http:\/\/127\.0\.0\.1:\d+\/invited#[\w-]+/.exec(printed)?.[0] ?? '';
  const owner = await browser.newPage({ ...wide, reducedMotion: 'reduce' });
  await owner.goto(invitation);
  await owner.getByLabel('Name').fill('Imke');
  await owner.getByLabel('Password', { exact: true }).fill('comet lantern gravel sixpence');
  await owner.getByRole('button', { name: 'Begin' }).click();
  await owner.getByRole('treeitem', { name: /, \/contact,/ }).click();
  await owner.getByRole('button', { name: 'Lock', exact: true }).click();
  await owner.getByText('words: 40 bits').waitFor();
  await owner.getByRole('button', { name: 'Lock it' }).click();
  await owner.getByText('Not live yet').waitFor();
  await owner.getByRole('treeitem', { name: /, \/members\/,/ }).click();
  // What was said goes after six seconds, and the door's picture has come by then.
  await owner.waitForTimeout(7000);
  await owner.screenshot({ path: `${folder}/console-places.png` });
  await owner.getByRole('link', { name: 'Ways in' }).click();
  await owner.getByRole('button', { name: 'Hand out Season 2026' }).click();
  await owner.getByAltText('A sheet to print').waitFor();
  await owner.screenshot({ path: `${folder}/console-hand-out.png` });
  await owner.keyboard.press('Escape');
  await owner.goto(new URL('/screens?screen=evening', invitation).href);
  await owner.locator('.properties summary').getByText('Words', { exact: true }).click();
  await owner.locator('#p-text-heading').focus();
  await owner.waitForTimeout(1500);
  await owner.screenshot({ path: `${folder}/console-designer.png` });
  await owner.goto(new URL('/log', invitation).href);
  await owner.getByRole('heading', { name: 'One by one' }).waitFor();
  await owner.waitForTimeout(500);
  await owner.screenshot({ path: `${folder}/console-log.png` });
  await owner.close();
}

/** The demo as it would be with mistakes that sites often have, walked by a patrol. */
async function carelessSite(): Promise<void> {
  const site = join(copy, 'careless');
  await cp(`${repository}/examples/observatory/dist`, site, { recursive: true });
  const log = await readFile(join(site, 'members/log.html'), 'utf8');
  const index = JSON.parse(await readFile(join(site, 'search.json'), 'utf8')) as object[];
  const text = /<main[^>]*>([^]*)<\/main>/.exec(log)?.[1]?.replace(/<[^>]+>/g, ' ') ?? '';
  const entry = { address: '/members/log', title: 'Observing log', summary: '', text };
  await writeFile(join(site, 'search.json'), JSON.stringify([...index, entry]));
  await copyFile(join(site, 'members/handbook.pdf'), join(site, 'downloads/handbook.pdf'));
  await copyFile(join(site, 'quiz/answers.html'), join(site, 'quiz/answers.html.bak'));
  const small = await sharp(join(site, 'members/pictures/ringed-planet.png')).resize(240).jpeg().toBuffer();
  await writeFile(join(site, 'pictures/planet.jpg'), small);
  const news = join(site, 'news/index.html');
  const shown = '<a href="/downloads/handbook.pdf"><img src="/pictures/planet.jpg" alt=""></a></main>';
  await writeFile(news, (await readFile(news, 'utf8')).replace('</main>', shown));
  await dorlin(copy, ['release', 'opening']);
  const served = await running(copy, ['serve', '--folder', site, '--port', '4294']);
  const patrolled = 'patrol http://127.0.0.1:4294 --policy dorlin.yaml';
  await terminal('patrol', [`${patrolled} --html patrol.html`], copy);
  const report = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await report.goto(`file://${copy}/patrol.html`);
  await report.screenshot({ path: `${folder}/patrol-report.png`, fullPage: true });
  await report.close();
  await served.end();
}

// They lie in the package, so each is as small as it can be to the dot: fewer colors leave specks in gradients.
for (const name of await readdir(folder)) {
  const small = await sharp(join(folder, name)).png({ compressionLevel: 9, adaptiveFiltering: true }).toBuffer();
  await writeFile(join(folder, name), small);
}
