import { toString } from 'qrcode';
import { paint } from './output.js';

/**
 * A QR code for the terminal, of half blocks, with the quiet zone that scanners need. Dark on light
 * whatever the terminal's own colors: not every scanner reads it the other way round.
 */
export async function terminalQr(text: string): Promise<string> {
  const blocks = await toString(text, { type: 'utf8', errorCorrectionLevel: 'M' });
  const lines = blocks.replace(/^\n+|\n+$/g, '').split('\n');
  return lines.map((line) => `  ${paint.bgWhiteBright(paint.black(line))}`).join('\n');
}
