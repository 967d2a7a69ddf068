import { readFile } from 'node:fs/promises';
import { dirname, join, normalize, relative, sep } from 'node:path';
import { bytesOf } from '../core/letters.js';
import { escapeHtml } from '../core/screen/html.js';
import { attributeOf, edited, elementsOf, type Edit, type Element } from './edited.js';
import { typeOf } from './plan.js';

/** A page with all that it needs in itself. */
export interface Embedded {
  readonly body: Buffer;
  /** Addresses that are still asked for elsewhere: of other hosts, or of files that are not there. */
  readonly outside: readonly string[];
}

/**
 * A page with its styles, scripts, pictures and films in itself: what lies in its folder or below that of the
 * site, read from there.
 *
 * @param file - where the page lies; addresses in it are seen from there
 * @param body - the page
 * @param root - the folder that `/` means; nothing outside of it is read
 * @param mayHold - whether a file of it (`/pictures/moon.png`) may be in this page
 */
export async function embedded(
  file: string,
  body: Buffer,
  root: string,
  mayHold: (path: string) => boolean,
): Promise<Embedded> {
  const outside = new Set<string>();
  const letters = body.toString('latin1');

  const fileAt = (address: string, from: string): string | undefined => {
    const [path = ''] = Buffer.from(address, 'latin1').toString('utf8').split(/[?#]/, 1);
    if (path === '' || /^[a-z][a-z0-9+.-]*:|^\/\//i.test(path)) return undefined;
    let plain: string;
    try {
      plain = decodeURIComponent(path);
    } catch {
      return undefined;
    }
    const found = normalize(plain.startsWith('/') ? join(root, plain) : join(dirname(from), plain));
    const inside = relative(root, found);
    if (inside === '..' || /(?:^|[\\/])\./.test(inside)) return undefined;
    return mayHold(`/${inside.split(sep).join('/')}`) ? found : undefined;
  };
  /** The bytes at an address; undefined where they are not at hand. */
  const bytesAt = async (address: string, from: string) => {
    const found = fileAt(address, from);
    const bytes = found === undefined ? undefined : await readFile(found).catch(() => undefined);
    if (bytes === undefined && !/^(?:data:|#|$)/i.test(address)) outside.add(address);
    return bytes === undefined || found === undefined ? undefined : { bytes, file: found };
  };
  const dataAt = async (address: string, from: string): Promise<string | undefined> => {
    const found = await bytesAt(address, from);
    return found && `data:${typeOf(found.file)};base64,${found.bytes.toString('base64')}`;
  };
  /** A style sheet with what it shows and imports in itself. */
  const styleOf = async (css: string, from: string, depth = 0): Promise<string> => {
    const edits: Edit[] = [];
    for (const found of css.matchAll(/@import\s+(?:url\(\s*)?["']?([^"')\s;]+)["']?\s*\)?\s*([^;]*);/gi)) {
      const sheet = depth > 5 ? undefined : await bytesAt(found[1] ?? '', from);
      if (sheet === undefined) continue;
      const inner = await styleOf(sheet.bytes.toString('latin1'), sheet.file, depth + 1);
      const text = found[2] === '' ? inner : `@media ${found[2] ?? ''}{${inner}}`;
      edits.push({ start: found.index, end: found.index + found[0].length, text });
    }
    for (const found of css.matchAll(/url\(\s*["']?([^"')]+?)["']?\s*\)/gi)) {
      const data = await dataAt(found[1] ?? '', from);
      if (data !== undefined)
        edits.push({ start: found.index, end: found.index + found[0].length, text: `url("${data}")` });
    }
    return edited(css, edits);
  };

  const edits: Edit[] = [];
  const whole = (element: Element, text: string) => {
    const { sourceCodeLocation: at } = element;
    if (at) edits.push({ start: at.startOffset, end: at.endOffset, text });
  };
  const replace = async (element: Element, name: string) => {
    const at = element.sourceCodeLocation?.attrs?.[name];
    const data = at && (await dataAt(attributeOf(element, name) ?? '', file));
    if (at && data) edits.push({ start: at.startOffset, end: at.endOffset, text: `${name}="${data}"` });
  };
  for (const element of elementsOf(letters)) {
    const value = (name: string) => attributeOf(element, name);
    const { tagName } = element;
    const kinds = (value('rel') ?? '').toLowerCase().split(/\s+/);
    if (tagName === 'link' && kinds.includes('stylesheet')) {
      const sheet = await bytesAt(value('href') ?? '', file);
      if (sheet === undefined) continue;
      const css = await styleOf(sheet.bytes.toString('latin1'), sheet.file);
      const media = value('media');
      // What would end the element early is told otherwise.
      const text = css.replace(/<\/(style)/gi, '<\\/$1');
      whole(element, `<style${media === undefined ? '' : ` media="${escapeHtml(media)}"`}>${text}</style>`);
    } else if (tagName === 'link' && kinds.includes('icon')) await replace(element, 'href');
    else if (tagName === 'script' && value('src') !== undefined) {
      const script = await bytesAt(value('src') ?? '', file);
      if (script === undefined) continue;
      const at = element.sourceCodeLocation?.attrs?.['src'];
      const data = `data:text/javascript;base64,${script.bytes.toString('base64')}`;
      if (at) edits.push({ start: at.startOffset, end: at.endOffset, text: `src="${data}"` });
    } else if (tagName === 'style') {
      const [child] = element.childNodes;
      const at = child?.sourceCodeLocation;
      if (child === undefined || !('value' in child) || !at) continue;
      edits.push({
        start: at.startOffset,
        end: at.endOffset,
        text: await styleOf(letters.slice(at.startOffset, at.endOffset), file),
      });
    } else {
      for (const name of ['src', 'poster'] as const) {
        if (tagName !== 'iframe' && value(name) !== undefined) await replace(element, name);
      }
      // Of several sizes of a picture the one is in it that every browser takes.
      const srcset = element.sourceCodeLocation?.attrs?.['srcset'];
      if (srcset && tagName === 'img') edits.push({ start: srcset.startOffset, end: srcset.endOffset, text: '' });
      else if (srcset) whole(element, '');
    }
  }
  return { body: Buffer.from(bytesOf(edited(letters, edits))), outside: [...outside].sort() };
}
