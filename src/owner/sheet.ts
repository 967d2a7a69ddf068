import { create } from 'qrcode';
import { escapeHtml } from '../core/screen/html.js';

/** What stands on a sheet to be printed. */
export interface Sheet {
  readonly siteName: string;
  readonly place: string;
  /** What the code holds: an address. */
  readonly address: string;
  /** Whether the address itself is to be read; that of an entry link is not worth it. */
  readonly showsAddress: boolean;
  /** In print below the code; never in it, as telephones send what they do not know to a search. */
  readonly password?: string | undefined;
  /** Sentences for the foot. */
  readonly notes: readonly string[];
}

const ink = '#142b2a';
const soft = '#48605e';

/** A sheet in the proportions of A5, with a QR code, as SVG. Text shrinks to the sheet's width. */
export function sheetSvg(sheet: Sheet): string {
  const { siteName, place, address, showsAddress, password, notes } = sheet;
  const { modules } = create(address, { errorCorrectionLevel: 'M' });
  const { size } = modules;
  const dots: string[] = [];
  for (let row = 0; row < size; row++) {
    for (let column = 0; column < size; column++) {
      if (modules.get(row, column) !== 0) dots.push(`M${column} ${row}h1v1h-1z`);
    }
  }
  // About two thirds of its size is what one letter of the widest of these types takes.
  const fitting = (px: number, ...texts: string[]) => Math.min(px, ...texts.map((text) => 356 / (0.66 * text.length)));
  const line = (y: number, text: string | undefined, px: number, style: string) =>
    text === undefined
      ? ''
      : `\n<text x="32" y="${y}" font-size="${fitting(px, text).toFixed(1)}" ${style}>${escapeHtml(text)}</text>`;
  const sans = `font-family="'Avenir Next','Segoe UI',Ubuntu,Cantarell,'Noto Sans','DejaVu Sans',sans-serif"`;
  const mono = `font-family="'SF Mono',Consolas,'Ubuntu Mono','DejaVu Sans Mono',monospace"`;
  const height = password === undefined ? 556 : 640;
  const small = fitting(14, ...notes);
  const foot = notes.map((note, at) =>
    line(height - 34 - 21 * (notes.length - 1 - at), note, small, `${sans} fill="${soft}"`),
  );
  return `<svg xmlns="http://www.w3.org/2000/svg" width="420" height="${height}" viewBox="0 0 420 ${height}" role="img" aria-label="${escapeHtml(`${siteName}: ${place}`)}">
<rect width="420" height="${height}" fill="#fff"/>
<rect width="420" height="10" fill="#14383a"/>${line(56, siteName, 17, `${sans} font-weight="600" fill="${soft}"`)}${line(88, place, 26, `${sans} font-weight="700" fill="${ink}"`)}
<svg x="32" y="112" width="356" height="356" viewBox="0 0 ${size} ${size}" shape-rendering="crispEdges"><path d="${dots.join('')}" fill="${ink}"/></svg>${line(502, showsAddress ? address.replace(/^https?:\/\//, '') : undefined, 15, `${sans} fill="${soft}"`)}${line(550, password, 24, `${mono} font-weight="700" fill="${ink}"`)}${foot.join('')}
</svg>
`;
}
