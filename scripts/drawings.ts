/** Makes the drawings of docs/deploy: `npx tsx scripts/drawings.ts [--check]`. */
import { readFile, writeFile } from 'node:fs/promises';

/** A thing that runs, or is kept. Measures are in the drawing's own units. */
interface Box {
  readonly at: readonly [x: number, y: number];
  readonly name: string;
  readonly about?: string;
  /** @default a program */
  readonly kind?: 'person' | 'program' | 'ours' | 'store';
  /** @default 150 */
  readonly width?: number;
}

/** What goes from one box to another. */
interface Arrow {
  readonly from: string;
  readonly to: string;
  readonly says?: string;
  /** Whether it is about changes, not about visits. */
  readonly isRare?: boolean;
  /** Where its words stand, from its middle. @default above it */
  readonly shift?: readonly [x: number, y: number];
}

interface Drawing {
  readonly title: string;
  readonly size: readonly [width: number, height: number];
  readonly boxes: readonly Box[];
  readonly arrows: readonly Arrow[];
}

const height = 58;

const drawings: Readonly<Record<string, Drawing>> = {
  'one-machine': {
    title: 'One machine: visitors reach dorlin serve, which serves the folder or asks the application',
    size: [760, 200],
    boxes: [
      { at: [20, 70], name: 'Visitors', kind: 'person', width: 120 },
      { at: [250, 70], name: 'dorlin serve', about: 'screens, passes, locks', kind: 'ours', width: 190 },
      { at: [560, 20], name: 'Your site', about: 'a folder, or an application', width: 180 },
      { at: [560, 122], name: 'dorlin.yaml', about: '.dorlin: secret, journal', kind: 'store', width: 180 },
    ],
    arrows: [
      { from: 'Visitors', to: 'dorlin serve', says: 'https' },
      { from: 'dorlin serve', to: 'Your site', says: 'let in', shift: [-12, -12] },
      { from: 'dorlin serve', to: 'dorlin.yaml', says: 'follows', isRare: true, shift: [-12, 22] },
    ],
  },
  'behind-nginx': {
    title: 'Behind nginx: nginx asks dorlin authorize before it serves, and hands it what is not let in',
    size: [760, 250],
    boxes: [
      { at: [20, 60], name: 'Visitors', kind: 'person', width: 120 },
      { at: [250, 60], name: 'nginx', about: 'TLS, HTTP/2, files', width: 170 },
      { at: [560, 60], name: 'Your site', about: 'a folder, or an application', width: 180 },
      { at: [250, 172], name: 'dorlin authorize', about: '204, or the screen', kind: 'ours', width: 170 },
      { at: [560, 172], name: 'dorlin.yaml', about: '.dorlin: secret, journal', kind: 'store', width: 180 },
    ],
    arrows: [
      { from: 'Visitors', to: 'nginx', says: 'https' },
      { from: 'nginx', to: 'Your site', says: '2. serves' },
      { from: 'nginx', to: 'dorlin authorize', says: '1. asks', shift: [44, 5] },
      { from: 'dorlin authorize', to: 'dorlin.yaml', says: 'follows', isRare: true },
    ],
  },
  'many-machines': {
    title: 'Many machines: a balancer sends each visit to any guard; guards share one Redis for tries and changes',
    size: [760, 362],
    boxes: [
      { at: [20, 110], name: 'Visitors', kind: 'person', width: 120 },
      { at: [210, 110], name: 'Balancer', about: 'any guard will do', width: 150 },
      { at: [430, 20], name: 'dorlin serve', about: 'machine 1', kind: 'ours', width: 130 },
      { at: [430, 110], name: 'dorlin serve ', about: 'machine 2', kind: 'ours', width: 130 },
      { at: [430, 200], name: 'dorlin serve  ', about: 'machine N', kind: 'ours', width: 130 },
      { at: [622, 110], name: 'Redis', about: 'tries, policy', kind: 'store', width: 118 },
      { at: [595, 285], name: 'Owner', about: 'console, commands', kind: 'person', width: 155 },
    ],
    arrows: [
      { from: 'Visitors', to: 'Balancer' },
      { from: 'Balancer', to: 'dorlin serve' },
      { from: 'Balancer', to: 'dorlin serve ' },
      { from: 'Balancer', to: 'dorlin serve  ' },
      { from: 'dorlin serve', to: 'Redis', says: 'tries, changes', isRare: true, shift: [42, -10] },
      { from: 'dorlin serve ', to: 'Redis', isRare: true },
      { from: 'dorlin serve  ', to: 'Redis', isRare: true },
      { from: 'Owner', to: 'Redis', says: 'push, pull', isRare: true, shift: [38, 6] },
    ],
  },
  'many-sites': {
    title:
      'Many sites: one guard takes the policy by the host, and what stands behind is told the host that was judged',
    size: [760, 320],
    boxes: [
      { at: [20, 20], name: 'Heron’s visitors', kind: 'person', width: 170 },
      { at: [20, 120], name: 'Bittern’s visitors', kind: 'person', width: 170 },
      { at: [285, 70], name: 'dorlin serve', about: '--every-site', kind: 'ours', width: 150 },
      { at: [560, 70], name: 'Your platform', about: 'serves every site', width: 180 },
      { at: [560, 198], name: 'Redis', about: 'host → site → policy', kind: 'store', width: 180 },
      { at: [20, 240], name: 'Heron’s owner', about: 'a console of its own', kind: 'person', width: 165 },
    ],
    arrows: [
      { from: 'Heron’s visitors', to: 'dorlin serve', says: 'heron.example', shift: [34, -10] },
      { from: 'Bittern’s visitors', to: 'dorlin serve', says: 'bittern.example', shift: [36, 22] },
      { from: 'dorlin serve', to: 'Your platform', says: 'Host as judged' },
      { from: 'dorlin serve', to: 'Redis', says: 'first visit', isRare: true, shift: [-36, 14] },
      { from: 'Heron’s owner', to: 'Redis', says: 'this one site', isRare: true, shift: [0, 22] },
    ],
  },
  edge: {
    title:
      'At the edge: the guard runs inside the worker, with the policy as text; or the files are sealed and nothing runs',
    size: [760, 250],
    boxes: [
      { at: [20, 40], name: 'Visitors', kind: 'person', width: 120 },
      { at: [270, 40], name: 'Your worker', about: 'guardFetch, policy as text', kind: 'ours', width: 200 },
      { at: [580, 40], name: 'Your site', about: 'assets, or an origin', width: 160 },
      { at: [270, 160], name: 'Any host for files', about: 'sealed pages', width: 200 },
      { at: [580, 160], name: 'dorlin seal', about: 'when you build', kind: 'ours', width: 160 },
    ],
    arrows: [
      { from: 'Visitors', to: 'Your worker', says: 'code runs there' },
      { from: 'Your worker', to: 'Your site', says: 'let in' },
      { from: 'Visitors', to: 'Any host for files', says: 'or none does', shift: [-26, 16] },
      { from: 'dorlin seal', to: 'Any host for files', says: 'uploads', isRare: true },
    ],
  },
};
const behindCaddy: Drawing = JSON.parse(
  JSON.stringify(drawings['behind-nginx']).replaceAll('nginx', 'Caddy'),
) as Drawing;

const escaped = (text: string) => text.trim().replaceAll('&', '&amp;').replaceAll('<', '&lt;');

/** Where a line from the middle of a box leaves it. */
function edge(box: Box, [x, y]: readonly [number, number]): [number, number] {
  const { width = 150 } = box;
  const [middleX, middleY] = middle(box);
  const [byX, byY] = [x - middleX, y - middleY];
  const scale = Math.min(width / 2 / Math.abs(byX || 1e-9), height / 2 / Math.abs(byY || 1e-9));
  return [middleX + byX * scale, middleY + byY * scale];
}
const middle = ({ at: [x, y], width = 150 }: Box): [number, number] => [x + width / 2, y + height / 2];
const rounded = (value: number) => Math.round(value * 10) / 10;

function boxSvg({ at: [x, y], name, about, kind = 'program', width = 150 }: Box): string {
  const shape =
    kind === 'store'
      ? `<path class="store" d="M${x} ${y + 9}a${width / 2} 9 0 0 1 ${width} 0v${height - 18}a${width / 2} 9 0 0 1 -${width} 0z"/><path class="line" d="M${x} ${y + 9}a${width / 2} 9 0 0 0 ${width} 0"/>`
      : `<rect class="${kind}" x="${x}" y="${y}" width="${width}" height="${height}" rx="${kind === 'person' ? height / 2 : 3}"/>`;
  const line = (text: string, at: number, style: string) =>
    `<text class="${style}" x="${x + width / 2}" y="${y + at}">${escaped(text)}</text>`;
  const drop = kind === 'store' ? 7 : 0;
  return about === undefined
    ? shape + line(name, 34, 'name')
    : shape + line(name, 26 + drop, 'name') + line(about, 44 + drop / 2, 'about');
}

function arrowSvg({ from, to, says, isRare = false, shift = [0, -9] }: Arrow, boxes: readonly Box[]): string {
  const named = (name: string): Box => {
    const found = boxes.find((box) => box.name === name);
    if (found === undefined) throw new Error(`there is no box ${name}`);
    return found;
  };
  const [one, other] = [named(from), named(to)];
  const [x1, y1] = edge(one, middle(other)).map(rounded) as [number, number];
  const [x2, y2] = edge(other, middle(one)).map(rounded) as [number, number];
  const line = `<line class="${isRare ? 'rare' : 'often'}" x1="${x1}" y1="${y1}" x2="${x2}" y2="${y2}" marker-end="url(#tip)"/>`;
  if (says === undefined) return line;
  const [x, y] = [rounded((x1 + x2) / 2 + shift[0]), rounded((y1 + y2) / 2 + shift[1])];
  return `${line}<text class="says" x="${x}" y="${y}">${escaped(says)}</text>`;
}

function svg({ title, size: [width, tall], boxes, arrows }: Drawing): string {
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${tall}" width="${width}" height="${tall}" role="img" aria-label="${escaped(title)}">
<title>${escaped(title)}</title>
<style>
svg{--paper:#f7f4ed;--sheet:#fffdf8;--ink:#1d2733;--soft:#5a6472;--accent:#8a5a00}
@media(prefers-color-scheme:dark){svg{--paper:#171c23;--sheet:#222933;--ink:#eee9dd;--soft:#a9b1bc;--accent:#e0b160}}
text{font-family:ui-sans-serif,system-ui,'Segoe UI',Roboto,sans-serif;text-anchor:middle;fill:var(--ink)}
.name{font-size:15px;font-weight:600}.about,.says{font-size:12.5px;fill:var(--soft)}
.says{paint-order:stroke;stroke:var(--paper);stroke-width:5px;stroke-linejoin:round}
rect,path{fill:var(--sheet);stroke:var(--ink);stroke-width:1.3}.line{fill:none}
.ours{stroke:var(--accent);stroke-width:2.4}.person{stroke-width:1.3}
line{stroke:var(--ink);stroke-width:1.4}.rare{stroke-dasharray:5 4;stroke:var(--soft)}
.ground{fill:var(--paper);stroke:none}
</style>
<defs><marker id="tip" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="8" markerHeight="8" orient="auto-start-reverse"><path d="M0 .8L7 4L0 7.2z" style="fill:var(--ink);stroke:none"/></marker></defs>
<rect class="ground" width="${width}" height="${tall}" rx="6"/>
${arrows.map((arrow) => arrowSvg(arrow, boxes)).join('\n')}
${boxes.map(boxSvg).join('\n')}
</svg>
`;
}

for (const [name, drawing] of Object.entries({ ...drawings, 'behind-caddy': behindCaddy })) {
  const file = `docs/deploy/${name}.svg`;
  const made = svg(drawing);
  if (!process.argv.includes('--check')) await writeFile(file, made);
  else if ((await readFile(file, 'utf8').catch(() => '')) !== made) {
    console.error(`${file} is not what scripts/drawings.ts makes; run: npm run docs`);
    process.exitCode = 1;
  }
}
